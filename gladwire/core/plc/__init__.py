"""What travels over the pilot as power line communication: frames, SLAC, SDP, V2GTP, EXI, and the conversation they make."""
