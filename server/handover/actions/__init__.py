"""Actions on files of studies."""
