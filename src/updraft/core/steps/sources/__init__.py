TITLE, PLACE = "Bring in", 10  # what the family is called, and where it is offered
