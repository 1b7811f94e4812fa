"""The whole workspace as a file (Data Package 2.0), and a new installation from such a file."""
