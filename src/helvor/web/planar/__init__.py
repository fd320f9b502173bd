"""The pages of plates."""

from helvor.web.planar.routes import router

__all__ = ["router"]
