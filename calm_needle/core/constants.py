"""Constants: value, unit, source, year."""

K95 = 2.0  # standard deviations of an uncertainty (95 %); JCGM 100:2008, 6.3.3

REFERENCE_LOAD_W = 1e-3  # W, the 0 dBm point, by definition
MICROVOLT_V = 1e-6  # V, the 0 dBµV point, by definition
BOLTZMANN_J_PER_K = 1.380649e-23  # J/K, exact by definition, SI 2019
REFERENCE_TEMPERATURE_K = 290.0  # K, T0 of noise figures, IRE standard 1960
