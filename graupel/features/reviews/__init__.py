"""Reviews: what buyers write of goods, read by the shop before it is shown."""
