"""What goes on behind the screen: the open job, its fill, its run, its files and settings."""
