TITLE, PLACE = "Columns", 30  # what the family is called, and where it is offered
