"""How columns are distributed, alone and by group, and what a colleague would say."""
