"""What computes for a worker can be cancelled, limited and replaced, and the worker itself goes on."""

import asyncio
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from nephos.command import children as module
from nephos.command.children import BrokenOff, Children, Lost
from nephos.command.worker import Cancels, Fault, do_task


def playing(limit: int = 2**40) -> Children:
    """Children that do what a test says, without a database."""
    return Children(limit, "command.play")


async def _play(words: dict[str, Any], **more: int) -> str:
    children = playing(**more)
    try:
        return await children.run("play", words)
    finally:
        children.end()


def test_a_task_is_done_and_a_fault_is_said_in_words() -> None:
    assert asyncio.run(_play({"do": "nothing"})) == ""
    assert "ZeroDivisionError" in asyncio.run(_play({"do": "fault"}))


def test_the_same_process_does_one_task_after_another() -> None:
    async def check() -> None:
        children = playing()
        for _ in range(3):
            assert await children.run("play", {"do": "nothing"}) == ""
        assert len(children) == 1
        children.end()

    asyncio.run(check())


def test_a_process_that_dies_is_replaced_and_said_to_be_lost() -> None:
    async def check() -> None:
        children = playing()
        with pytest.raises(Lost, match="ended from outside"):
            await children.run("play", {"do": "die"})
        assert await children.run("play", {"do": "nothing"}) == ""
        children.end()

    asyncio.run(check())


def test_a_task_that_needs_too_much_memory_ends_in_words_and_not_in_death() -> None:
    assert "MemoryError" in asyncio.run(_play({"do": "memory"}, limit=2**30))


@pytest.mark.parametrize(("what", "by_itself"), [("wait", True), ("deaf", False)])
def test_a_cancel_takes_effect_within_half_a_second(what: str, by_itself: bool) -> None:
    async def check() -> float:
        asked = asyncio.Event()
        children = playing()
        await children.warm()
        running = asyncio.create_task(children.run("play", {"do": what}, lambda: _wait(asked)))
        await asyncio.sleep(0.3)
        begin = time.monotonic()
        asked.set()
        if by_itself:
            assert "Cancelled" in await running
        else:
            with pytest.raises(BrokenOff):
                await running
        took = time.monotonic() - begin
        assert await children.run("play", {"do": "nothing"}) == "", "the next task is done"
        children.end()
        return took

    assert asyncio.run(check()) < 0.5 + 0.3


async def _wait(asked: asyncio.Event) -> None:
    await asked.wait()


def test_a_process_that_holds_much_memory_is_replaced_once_it_has_rested(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(module, "REST", 0.2)

    async def check() -> None:
        children = playing()
        await children.run("play", {"do": "keep"})
        (first,) = children.pids
        replacing = asyncio.create_task(children.replace_for_ever())
        async with asyncio.timeout(10):
            while first in children.pids:
                await asyncio.sleep(0.1)
        replacing.cancel()
        assert await children.run("play", {"do": "nothing"}) == ""
        children.end()

    asyncio.run(check())


def test_children_end_with_the_process_that_they_work_for() -> None:
    children = playing()
    asyncio.run(children.run("play", {"do": "nothing"}))
    (pid,) = children.pids
    assert Path(f"/proc/{pid}").exists()
    children.end()
    for _ in range(100):
        if not Path(f"/proc/{pid}").exists():
            return
        time.sleep(0.05)
    raise AssertionError("it lives still")


class Refusing:
    """A runner whose process dies each time, and which notes what it was asked for."""

    def __init__(self, outcome: Callable[[str], str]) -> None:
        self.asked: list[tuple[str, dict[str, Any]]] = []
        self.outcome = outcome

    async def run(self, name: str, words: dict[str, Any], cancelled: object = None) -> str:
        self.asked.append((name, words))
        return self.outcome(name)


def _lost(name: str) -> str:
    if name == "give_up":
        return ""
    raise Lost("there was not enough memory for this")


def test_a_task_whose_process_dies_twice_is_given_up_with_the_reason() -> None:
    runner = Refusing(_lost)
    asyncio.run(do_task(runner, Cancels(), "export_whole", {"key": "k"}))
    assert [name for name, _ in runner.asked] == ["export_whole", "export_whole", "give_up"]
    assert runner.asked[-1][1]["reason"] == "there was not enough memory for this"


def test_a_task_that_ends_with_a_fault_each_time_is_given_up() -> None:
    runner = Refusing(lambda name: "" if name == "give_up" else "ValueError: no")
    asyncio.run(do_task(runner, Cancels(), "export_whole", {"key": "k"}, last=True))
    assert [name for name, _ in runner.asked] == ["export_whole", "give_up"]
    assert "fault of Nephos" in runner.asked[-1][1]["reason"]


def test_a_task_that_ends_with_a_fault_is_left_to_the_queue_to_try_again() -> None:
    with pytest.raises(Fault, match="ValueError"):
        asyncio.run(do_task(Refusing(lambda _: "ValueError: no"), Cancels(), "export_whole", {"key": "k"}))
