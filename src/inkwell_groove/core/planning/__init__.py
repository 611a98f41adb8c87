"""Plans: every decision about a side as data, and what changes one."""
