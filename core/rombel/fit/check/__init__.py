"""The independent checker: an own reading of every rule and of certificates. Nothing here comes from the rest of the fit."""
