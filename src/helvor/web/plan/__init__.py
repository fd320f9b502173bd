"""Plan on the web: procedures, their versions, house rules."""

from helvor.web.plan.routes import router

__all__ = ["router"]
