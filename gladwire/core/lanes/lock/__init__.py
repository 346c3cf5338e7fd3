"""The plug lock as evidence. May import no other lane, nor session or diagnosis."""
