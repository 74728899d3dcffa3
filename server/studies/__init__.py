"""Studies, demand, variants, and edits that can be undone."""
