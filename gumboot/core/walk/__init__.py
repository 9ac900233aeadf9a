"""A walk: one step at a time, ticked, read or left out with a reason. Link and Wake are walks."""
