"""How many units: baselines, strictness, sample sizes and their inverses. `planning` is the door to it."""
