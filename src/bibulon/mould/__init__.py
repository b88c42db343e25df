"""The mould: what is checked on it before fibre goes on."""
