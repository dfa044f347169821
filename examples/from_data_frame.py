"""Texts of any kind, without a site: which are nearly the same, and how much of one stands in the other.

Run: ``python examples/from_data_frame.py``.
"""

import pandas as pd

import mardok

notes = pd.DataFrame(
    {
        "name": ["bow", "bow, again", "peg", "all"],
        "text": [
            "a bow is rehaired when the hair goes smooth and the rosin holds no longer",
            "a bow is rehaired when its hair goes smooth and the rosin holds no longer",
            "a peg that slips touches the hole on one side only",
            "a bow is rehaired when the hair goes smooth and the rosin holds no longer "
            "a peg that slips touches the hole on one side only",
        ],
    }
)
pairs = mardok.find_copies(notes["text"].tolist(), minimum=0.2)
pairs["a"], pairs["b"] = notes["name"][pairs["a"]].tolist(), notes["name"][pairs["b"]].tolist()
print(pairs.round(3).to_string(index=False))
