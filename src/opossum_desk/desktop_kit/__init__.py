"""What tells a desktop of Opossum: its entry, icons, kinds of files, what software centres show, and the man page."""
