"""The Bench's calculators: one file each, opening with its declaration.

To add one: copy a small one, name it in `web/pages/bench.py`.
"""
