"""The problem as the solver sees it: what cannot matter left out, arrays, and what makes a fit impossible at sight."""
