"""Precipitation, stoichiometry and gravimetry: what reacts, how much it can give, what stays dissolved."""
