"""A pilot circuit and what a scope makes of it. Imports neither standards nor diagnosis: it may not know its judges."""
