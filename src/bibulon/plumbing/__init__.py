"""Hoses and what they are put on: from the bucket to the lines, and from the lines over the pots to the pump."""
