"""Reports: a template of HTML filled with rows, with charts, as a PDF. Knows no steps."""
