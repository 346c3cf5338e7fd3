"""Kinds of evidence, one folder each, declared in one `LANE`. May not import session, diagnosis or case."""
