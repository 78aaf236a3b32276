"""What is fixed: roles, matters, sizes, names, and what each game takes (data).

No computation on pictures.
"""
