"""What is printed or read of a job: traveller, run list, run log and kits."""
