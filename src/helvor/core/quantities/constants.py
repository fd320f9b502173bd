"""Constants of nature, with their units."""

GAS = 8.314462618
"""Molar gas constant, J/(mol·K). CODATA 2018, exact."""
ZERO_C = 273.15
"""0 °C in kelvin."""
