"""Columns: sizing, bands, pools."""
