TITLE, PLACE = "Values", 40  # what the family is called, and where it is offered
