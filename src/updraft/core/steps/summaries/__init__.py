TITLE, PLACE = "Summarise", 70  # what the family is called, and where it is offered
