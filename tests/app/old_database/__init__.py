"""A small database made by the version before methods, designs and verdicts had modules of their own, and what it showed."""
