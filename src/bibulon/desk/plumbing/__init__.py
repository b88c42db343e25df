"""The plumbing diagram beside the plan."""
