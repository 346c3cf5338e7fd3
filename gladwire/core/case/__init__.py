"""What outlives a session: proofs of repairs, the plug-in checklist. May import session; imported by the web alone."""
