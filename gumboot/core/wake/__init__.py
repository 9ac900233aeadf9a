"""Wake: in what order does it come alive? `plant` reads the network as levers and arrays, `settle`
says what every state of them comes to, `hazard` what an act there does wrong, `order` finds a way
that does none of it, `slip` what a wrong hand would do, `steps` the walk.
"""
