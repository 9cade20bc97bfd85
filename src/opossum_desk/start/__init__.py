"""The area Start: ways in, symptoms, recent takes."""
