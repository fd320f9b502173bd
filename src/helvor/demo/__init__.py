"""The demo: an invented institute, its class and its plates, with ordinary mistakes in them."""

from helvor.demo.load import EMAIL, PASSWORD, load

__all__ = ["EMAIL", "PASSWORD", "load"]
