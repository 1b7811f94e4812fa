"""One search over all that can be opened: experiments with what was hoped and learnt, metrics, people."""
