"""Physical constants: value, unit, source, year."""

REFERENCE_LOAD_W = 1e-3  # W, the 0 dBm point, by definition
MICROVOLT_V = 1e-6  # V, the 0 dBµV point, by definition
