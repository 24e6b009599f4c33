"""Units of length: each listed once, with its length in mm."""

MM_PER_UNIT = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "ft": 304.8, "µm": 1e-3}
