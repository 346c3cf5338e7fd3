"""A plug-in as one scene on one clock: stages, outcome, verdict, judgement. May not import case."""
