"""The control pilot as evidence. May import no other lane, nor session or diagnosis."""
