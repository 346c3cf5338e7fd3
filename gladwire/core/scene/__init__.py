"""Everything measured and noticed of one plug-in, and the rules across lanes. Imports lanes; no diagnosis, no session."""
