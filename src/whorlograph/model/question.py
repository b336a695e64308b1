"""The question asked of a replay, and the words of its answer (ANSWERS.md)."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct


class Symptom(StrEnum):
    """What is complained of."""

    DROPPED_OUT = "dropped-out"
    WILL_NOT_PULL_IN = "will-not-pull-in"
    WILL_NOT_DROP_OUT = "will-not-drop-out"
    CHATTERS = "chatters"
    VALUE = "value"

    @property
    def words(self) -> str:
        """As a person says it."""
        return self.value.replace("-", " ")


class LinkKind(StrEnum):
    """Why a value stands as it does; a value names its module in inquiry/links, `row` is found by trials."""

    RUNG_FALSE = "rung-false"
    RUNG_TRUE = "rung-true"
    SET_BY = "set-by"
    RESET_BY = "reset-by"
    NEVER_SET = "never-set"
    HELD_BY_JUMP = "held-by-jump"
    NOT_CALLED = "not-called"
    TASK_IDLE = "task-idle"
    TASK_HELD = "task-held"
    OVERWRITTEN = "overwritten"
    TIMER_RUNNING = "timer-running"
    COUNTER_SHORT = "counter-short"
    HALTED = "halted"
    BLOCK = "block"
    NOT_MET = "not-met"
    MISSED_PULSE = "missed-pulse"
    STEP_INACTIVE = "step-inactive"
    RESUMED = "resumed"
    PREEMPTED = "preempted"
    FORCED = "forced"
    ROW = "row"


class RootKind(StrEnum):
    """Where a trail ends."""

    FIELD_INPUT = "field-input"
    FORCE = "force"
    FAULT = "fault"
    INITIAL_VALUE = "initial-value"
    PROGRAM = "program"
    MISMATCH = "mismatch"
    LOG_GAP = "log-gap"
    CONSTANT = "constant"


class Question(Struct, frozen=True):
    """A tag, the instant (ns; None: the log's end), and the symptom (None: the tag's state decides)."""

    tag: int
    at: int | None = None
    symptom: Symptom | None = None
