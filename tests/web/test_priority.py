"""A better place for the threads that a listener waits for: asked of the system, of RealtimeKit, or not to be had."""

import os
import stat
import threading

import pytest

from tin_kettle.web.priority import NICENESS, raised_priority


@pytest.fixture
def system(monkeypatch, tmp_path):
    """What the system was asked for; it refuses unless told otherwise."""
    asked = {"niceness": [], "allows": False}

    def setpriority(which, thread, niceness):
        assert (which, thread) == (os.PRIO_PROCESS, threading.get_native_id())
        if niceness < 0 and not asked["allows"]:
            raise PermissionError("no")
        asked["niceness"].append(niceness)

    monkeypatch.setattr(os, "setpriority", setpriority)
    monkeypatch.setenv("PATH", str(tmp_path))
    return asked


def busctl(folder, code):
    program = folder / "busctl"
    program.write_text(f'#!/bin/sh\necho "$@" > {folder}/said\nexit {code}\n')
    program.chmod(program.stat().st_mode | stat.S_IEXEC)


def test_with_permission_the_thread_goes_first_and_then_back(system):
    system["allows"] = True
    before = os.getpriority(os.PRIO_PROCESS, threading.get_native_id())
    with raised_priority() as got:
        assert got == "high" and system["niceness"] == [NICENESS]
    assert system["niceness"] == [NICENESS, before], "the thread is one of a pool"


def test_without_it_realtimekit_is_asked(system, tmp_path):
    busctl(tmp_path, 0)
    with raised_priority() as got:
        assert got == "high"
    said = (tmp_path / "said").read_text().split()
    assert said[-4:] == ["tti", str(os.getpid()), str(threading.get_native_id()), str(NICENESS)]


@pytest.mark.parametrize("refuses", [True, False])
def test_where_nothing_is_to_be_had_the_sound_plays_all_the_same(system, tmp_path, refuses):
    if refuses:
        busctl(tmp_path, 1)
    with raised_priority() as got:
        assert got == "normal"
