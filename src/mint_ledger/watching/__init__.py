"""A game that is being worked on: what it comes to as it stands, and what moved since it stood otherwise."""
