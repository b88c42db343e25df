"""The cure of a part in its mould: heat and cure through the stack at every distinct place, and what follows."""
