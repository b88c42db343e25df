"""The bag: film, tape and pleats, and what is checked on it."""
