"""The protocols of the power line: packets, SLAC, SDP, TCP, TLS, V2GTP, messages. Judges nothing; imports no lane."""
