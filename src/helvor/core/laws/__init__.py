"""The laws of the work: pure functions of numbers with units. They know no page, run or procedure."""
