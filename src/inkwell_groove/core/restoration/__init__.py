"""What is done to a take so that less of its carrier is heard: each step is data in the plan, rendered in one order.

Nothing here alters a take. `steps` says what can be asked for, `chain` in which order it is done, and every step can
be asked for any stretch of the side alone: what it gives does not depend on where one began to listen.
"""
