"""What a track sounds like and where its cues were planned: from files that the user gives. No interface code."""
