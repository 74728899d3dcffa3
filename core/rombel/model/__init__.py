"""What is given: quantities, pods, nodes, the fit problem and its solution, and the study they come from."""
