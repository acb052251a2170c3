TITLE, PLACE = "Reshape", 50  # what the family is called, and where it is offered
