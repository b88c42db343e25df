"""What makes the program one of the desktop's own: menu entry, icons, file type, manual page."""
