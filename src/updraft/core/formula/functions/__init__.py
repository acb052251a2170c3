"""The functions of formulas, by what they are about."""
