"""Stand-ins for what stands on a bench, for practice and for trying the software without glassware."""
