"""Vacuum: hold tests and pumps."""
