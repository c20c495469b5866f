"""What the window shows and edits: the project with its history, what is known of its footage, its plan."""
