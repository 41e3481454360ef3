"""Why a number is what it is: the story of a key, a sentence about one read, and what would have helped."""
