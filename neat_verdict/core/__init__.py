"""The computation and the rules of the job: no Django, no clock, no files, no network."""
