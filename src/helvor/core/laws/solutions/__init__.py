"""Solutions: their concentrations in every unit, dilution, buffers, titration."""
