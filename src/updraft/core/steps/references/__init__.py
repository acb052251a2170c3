TITLE, PLACE = "Reference", 65  # what the family is called, and where it is offered
