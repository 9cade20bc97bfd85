"""Rules that takes suggest: what always held in healthy runs, written as sentences of the rule language."""
