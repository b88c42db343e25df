"""Resin: viscosity and gel, charge, batches, cure and its heat."""
