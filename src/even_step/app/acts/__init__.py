"""What can be done, by subject: each file holds some actions and how they are done."""
