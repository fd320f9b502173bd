"""Plan on the web: procedures, their versions, house rules."""
