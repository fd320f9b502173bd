"""Writes docs/safety.md from the rules. Run it from the project's folder with ``src`` on the path."""

from pathlib import Path

from helvor.core.techniques.safety.catalogue import catalogue

Path(__file__).with_name("safety.md").write_text(catalogue(), encoding="utf-8")
