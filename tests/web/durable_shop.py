"""How tests of durability calculate a job and fetch its programs."""

from django.test import Client

from nephos.web import tasks
from web.shop import body_of, send


def calculate(client: Client, job: dict) -> dict:
    state = send(client, f"/jobs/{job['id']}/calculate").json()
    tasks.calculate(state["id"])
    return client.get(f"/api/jobs/{job['id']}").json()


def programs(client: Client, job: dict) -> dict[str, bytes]:
    info = job["derived"]["setups"][0]
    return {
        item["name"]: body_of(client.get(f"/api/jobs/{job['id']}/program/{info['id']}/{item['name']}"))
        for item in info["programs"]
    }
