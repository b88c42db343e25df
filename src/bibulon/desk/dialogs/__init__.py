"""Windows of their own beside the desk."""
