"""What can be said of price lists: differences between editions, substitutes, a plan bought anew."""

from rombel.catalogue.differences import ChangeKind, ListChange, Repriced, compare_lists, reprice
from rombel.catalogue.substitutes import Candidate, Substitute, nearest

__all__ = ["Candidate", "ChangeKind", "ListChange", "Repriced", "Substitute", "compare_lists", "nearest", "reprice"]
