"""Planning: in which order a load is done, and what a lot is made of."""
