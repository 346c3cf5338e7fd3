"""Efficient XML Interchange (W3C EXI 1.0), schema-informed, both ways, driven by the data in `grammars/` alone."""
