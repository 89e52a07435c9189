"""What is kept: workshop, machines, circuit revisions, jobs and their entries."""
