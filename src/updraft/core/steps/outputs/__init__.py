TITLE, PLACE = "Deliver", 90  # what the family is called, and where it is offered
