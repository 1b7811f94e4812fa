"""Methods of requests (RFC 9110): those that change nothing."""

SAFE = ("GET", "HEAD", "OPTIONS")
