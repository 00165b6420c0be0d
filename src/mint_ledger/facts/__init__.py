"""What is known of a program without playing it."""
