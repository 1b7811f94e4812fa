"""A client of the API: `calls` has a function for each operation, `Client` and `AsyncClient` send what it makes.

with Client("https://verdicts.example", token) as client:
    evidence = client.send(calls.get_evidence("fare-calendar"))
"""

from neat_verdict.client import calls, shapes
from neat_verdict.client.calling import Call, Refused, Unreachable, Upload
from neat_verdict.client.clients import AsyncClient, Client

__all__ = ["AsyncClient", "Call", "Client", "Refused", "Unreachable", "Upload", "calls", "shapes"]
