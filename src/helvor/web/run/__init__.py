"""A bench's run on the web: its step, its balance, its mass record."""

from helvor.web.run import files
from helvor.web.run.routes import router

router.include_router(files.router)

__all__ = ["router"]
