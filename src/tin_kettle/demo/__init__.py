"""The made-up record *Slack Water* by the Ferry Ticket Ensemble: synthesised, the same on every machine."""
