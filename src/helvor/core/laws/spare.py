"""What is made more than is needed."""

from __future__ import annotations

SPARE = 0.12
"""What is made more than the benches need, as a part of it. Common practice, 10 to 15 %, no source."""
SUM_SPARE = 0.10
"""The same of a sum, before there is a procedure: the lower end of the usual 10 to 15 %. Common practice."""
