"""The command line: it reads arguments, calls the library, and prints. Nothing is computed here."""
