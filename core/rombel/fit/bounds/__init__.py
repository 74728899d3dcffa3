"""What every answer costs at least, and the prices that prove it: relaxations, pattern and whole-number programs, certificates.

Beneath them stand the wall around the linear solver, the best divisible load of a node and the knapsack.
"""
