"""Views: texts and figures made of what the core found; none of them prints."""
