"""Figures as drawings: bridges from one total to another, scales that several drawings share, room for words."""
