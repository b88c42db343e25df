"""The dry laminate: its cells and stacks, plies with their joints, the cut list, corners and relief."""
