"""The printable report of a realm or a project: figures as the API gives them, drawings, one page of HTML."""
