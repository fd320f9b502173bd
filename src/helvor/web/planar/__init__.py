"""The pages of plates, of their photographs, and of a class's plates side by side."""

from fastapi import APIRouter

from helvor.web.planar import compare, photographs, routes

router = APIRouter(include_in_schema=False)
router.include_router(routes.router)
router.include_router(photographs.router)
router.include_router(compare.router)

__all__ = ["router"]
