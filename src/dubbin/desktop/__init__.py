"""What a desktop knows a program by: menu entry, icons, file type, manual page, completions."""
