"""What can be observed on a machine, and what each candidate would show."""
