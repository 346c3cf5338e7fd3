"""Grammar data of the V2G protocols, derived from their public schemas by `scripts/exi/derive_grammars.py`."""
