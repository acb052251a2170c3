TITLE, PLACE = "Rows", 20  # what the family is called, and where it is offered
