"""The words and the ways of writing times that loggers use."""

# The later a word stands, the less it says.
HEADER_WORDS: dict[str, tuple[str, ...]] = {
    "time": (
        "time", "date", "datum", "zeit", "heure", "fecha", "timestamp", "stamp", "uhrzeit", "hora", "utc", "when",
        "clock", "day", "at",
    ),
    "temp": (
        "temp", "temperature", "temperatur", "température", "temperatura", "air", "°c", "°f", "celsius", "fahrenheit",
        "t",
    ),
    "rh": (
        "humidity", "rh", "hum", "feuchte", "luftfeuchte", "humidité", "humedad", "humid", "%", "r.h", "relative",
        "rel",
    ),
}  # fmt: skip
NEVER: dict[str, tuple[str, ...]] = {
    "temp": ("dew", "taupunkt", "rosée", "surface"),
    "rh": ("absolute", "ratio"),
    "time": (),
}

TIME_FORMATS = (
    "%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M", "%Y/%m/%d %H:%M:%S", "%Y/%m/%d %H:%M", "%d.%m.%Y %H:%M:%S",
    "%d.%m.%Y %H:%M", "%d.%m.%y %H:%M:%S", "%d.%m.%y %H:%M", "%d %b %Y %H:%M:%S",
    "%d %b %Y %H:%M",
)  # fmt: skip
_CLOCKS = ("%H:%M:%S", "%H:%M", "%I:%M:%S %p", "%I:%M %p")
SLASHED = {
    order: tuple(f"{date} {clock}" for date in dates for clock in _CLOCKS)
    for order, dates in {
        "day first": ("%d/%m/%Y", "%d/%m/%y", "%d-%m-%Y"),
        "month first": ("%m/%d/%Y", "%m/%d/%y", "%m-%d-%Y"),
    }.items()
}
