"""The pages of plates and of their photographs."""

from fastapi import APIRouter

from helvor.web.planar import photographs, routes

router = APIRouter(include_in_schema=False)
router.include_router(routes.router)
router.include_router(photographs.router)

__all__ = ["router"]
