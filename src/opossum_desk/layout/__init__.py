"""What is where on each view at a zoom: plain functions from a take and a size to lists of strokes. No Qt here."""
