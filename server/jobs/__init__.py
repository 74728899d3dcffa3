"""Background work: who computes what, and what happens when a worker ends before its work does."""
