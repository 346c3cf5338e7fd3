"""The power record as evidence, and its ledger. May import `core/power`; no other lane, nor session."""
