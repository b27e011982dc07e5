"""A day as it is flown: what happened, what follows from it, what to do next, and rehearsing it beforehand."""
