"""How things are told to the page: the types of what it gets (`contract`), and how they are put together."""
