"""The computation: circuit, components, solver, faults, observations, diagnosis.

Nothing in here knows the web, the database, the clock or the file system.
One unit set everywhere, written in the names: bar, L/min, cm³, rpm, °C, mm,
mm/s, N, kW, mm²/s, s, min, L.
"""
