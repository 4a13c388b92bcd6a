"""Stations: mean level in metres, constituents with speed in degrees per hour."""

stations = {
    "bar": {
        "name": "Fenmarsh Bar",
        "mean": 2.1,
        "constituents": [
            {"name": "M2", "amplitude": 1.42, "speed": 28.9841042, "phase": 312},
            {"name": "S2", "amplitude": 0.46, "speed": 30, "phase": 351},
        ],
    },
}
