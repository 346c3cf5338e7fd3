"""Instruments: how they are spoken to, and small stand-ins for them."""
