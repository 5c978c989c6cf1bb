"""The data that ship: product sheets, ready-made systems, substrates and cautions, as TOML."""
