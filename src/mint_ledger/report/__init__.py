"""All that a talk about a game's balance wants, gathered once; `views.report_html` makes a page of it."""
