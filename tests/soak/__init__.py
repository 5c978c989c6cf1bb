"""What a shop lives through: upgrades that are stopped, many devices, a program that is killed, a disk that is full."""
