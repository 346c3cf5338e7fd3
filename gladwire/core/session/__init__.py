"""The stages of a charging session and the outcome in one sentence."""
