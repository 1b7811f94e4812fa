"""The parts of the Evidence sheet: each with its query and its shape. To add one: a module here and its route in `api`."""
