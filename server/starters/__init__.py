"""Starters: shapes of studies with blanks, their versions, and which studies were made from them."""
