"""What weaves share: what a weave is, and the canvas of rows that most of them are."""
