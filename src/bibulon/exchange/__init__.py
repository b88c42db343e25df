"""Open formats in and out: drawings, meshes, readings, plans, cut lists and fills."""
