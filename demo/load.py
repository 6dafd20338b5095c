"""Many clients at once that open and preview jobs: `python -m demo.load [CLIENTS] [ROUNDS] [ADDRESS]`, while Nephos
runs.

Prints how long answers take (median, 95th percentile, longest) for one client and for all.
"""

import http.client
import json
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from urllib.parse import urlsplit

import numpy as np


class Client:
    """One window: a connection that stays, with its token."""

    def __init__(self, address: str) -> None:
        parts = urlsplit(address)
        self.wire = http.client.HTTPConnection(parts.hostname or "localhost", parts.port or 8460, timeout=60)
        self.wire.request("GET", "/")
        answer = self.wire.getresponse()
        answer.read()
        self.token = (answer.getheader("Set-Cookie") or "").split("csrftoken=")[1].split(";")[0]

    def ask(self, path: str, body: object = None) -> dict:
        """A request; its answer as JSON."""
        headers = {"Cookie": f"csrftoken={self.token}", "X-CSRFToken": self.token, "Content-Type": "application/json"}
        self.wire.request(
            "POST" if body is not None else "GET",
            f"/api{path}",
            json.dumps(body) if body is not None else None,
            headers,
        )
        answer = self.wire.getresponse()
        data = answer.read()
        if answer.status >= 400:
            raise RuntimeError(f"{path}: {answer.status} {data[:200]!r}")
        return json.loads(data)


def visit(address: str, jobs: list[int], rounds: int, seed: int) -> list[float]:
    """Seconds of each answer of one client that opens jobs and previews a change of each."""
    rng = np.random.default_rng(seed)
    client = Client(address)
    took = []
    for _ in range(rounds):
        begin = time.perf_counter()
        job = client.ask(f"/jobs/{rng.choice(jobs)}")
        took.append(time.perf_counter() - begin)
        plan = job["plan"]
        for setup in plan["setups"]:
            for operation in setup["operations"]:
                if "stepover" in operation["settings"]:
                    operation["settings"]["stepover"] = round(float(rng.uniform(0.1, 0.9)), 3)
        begin = time.perf_counter()
        client.ask("/jobs/preview/plan", {"plan": plan})
        took.append(time.perf_counter() - begin)
        time.sleep(float(rng.uniform(0.5, 1.5)))
    return took


def told(name: str, seconds: list[float]) -> None:
    """One line of figures."""
    p50, p95 = np.percentile(seconds, (50, 95))
    print(
        f"{name}: {len(seconds)} answers, median {1000 * p50:.0f} ms, p95 {1000 * p95:.0f} ms, longest "
        f"{1000 * max(seconds):.0f} ms"
    )


def main(words: list[str]) -> None:
    """Measure one client, then all at once."""
    clients, rounds = int(words[0]) if words else 50, int(words[1]) if len(words) > 1 else 6
    address = words[2] if len(words) > 2 else "http://localhost:8460"
    jobs = [job["id"] for job in Client(address).ask("/jobs")]
    told("one client", visit(address, jobs, rounds, 0))
    with ThreadPoolExecutor(clients) as pool:
        found = list(pool.map(lambda seed: visit(address, jobs, rounds, seed), range(clients)))
    told(f"{clients} clients", [value for one in found for value in one])


if __name__ == "__main__":
    main(sys.argv[1:])
