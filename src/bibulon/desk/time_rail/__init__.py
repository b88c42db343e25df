"""The time rail: fill, valves, batches, gel, release and the shift on one clock."""
