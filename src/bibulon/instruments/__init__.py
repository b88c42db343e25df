"""Instruments of the day: their wire protocol, the side that listens, and simulated ones."""
