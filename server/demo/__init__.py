"""The invented demo: a ferry operator, two made-up providers, made by one seeded generator."""
