"""Fields, marks, icons, colours and type that every screen uses."""
