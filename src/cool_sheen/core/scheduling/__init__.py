"""The whole shop laid along time: all parts, hands, tools, pots and rooms, over the one account of each part."""
