"""What the workshop decides from numbers: verdicts."""
