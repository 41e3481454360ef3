"""What is different between two recordings, and what that does to the prediction."""
