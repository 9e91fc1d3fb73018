"""A recipe at work: every stage, chain and split as nodes, with every latency compensated.

Terms: *stage node* (a stage in its place), *stage instance* (a stage at one setting), *chain node* (a bus, group or
branch), *traversal* (how blocks go through).
"""
