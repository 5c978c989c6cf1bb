"""The shell: pages, fragments, the JSON contract, and the pictures."""
