"""What is known of each pack: its records, and what follows from them for today.

Records are only ever added. What they tell is folded when one is written and judged when somebody looks.
"""
