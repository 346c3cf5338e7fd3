"""A contactor's line as evidence. May import the pilot and mains beside it; not session or diagnosis."""
