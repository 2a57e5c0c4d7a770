"""What serves the pages: the processes, the folder they share, and what is kept aside."""
