TITLE, PLACE = "Join", 60  # what the family is called, and where it is offered
