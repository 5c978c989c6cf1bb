"""Small stand-ins for what is outside: a weather forecast, a thermo-hygrometer."""
