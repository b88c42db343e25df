"""How finely a fill is computed where nothing else is asked for: points of the mesh, levels through the thickness."""

FULL_NODES = 2000
PREVIEW_NODES = 300
"""Under the moving hand."""
FULL_LEVELS = 4
"""All that a stack has: with fewer the tool side seems to fill earlier than it does."""
