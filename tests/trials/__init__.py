"""What strangers, users and bad days do to the program, at random. ``make explore`` asks for many more cases."""
