"""Rules of pre-flight, one a file; each is found by being here."""
