"""Jobs: their states, what they tell, and how they are stopped."""

import datetime
import threading
import time
import unittest
from typing import Any

from pydantic import BaseModel

from stonestack.core.runtime.errors import BadRequest, Conflict, NotFound
from stonestack.services.jobs import Jobs, JobState, Progress


class Said(BaseModel):
    words: str
    when: datetime.date


class Unsayable(BaseModel):
    def model_dump(self, **options: Any) -> dict[str, Any]:
        raise ValueError("no words")


class JobsRun(unittest.TestCase):
    def finished(self, jobs: Jobs, job_id: str) -> JobState:
        jobs.close()
        return jobs.view(job_id).state

    def test_a_job_tells_its_result(self) -> None:
        jobs = Jobs()
        job = jobs.start("Count", lambda progress: {"answer": 3})
        self.assertEqual(self.finished(jobs, job.id), JobState.DONE)
        self.assertEqual(jobs.view(job.id).result, {"answer": 3})

    def test_a_job_stops_before_its_next_part(self) -> None:
        jobs, reached = Jobs(), threading.Event()
        parts: list[int] = []

        def work(progress: Progress) -> dict[str, object]:
            for part in range(1000):
                progress.at(part / 1000, f"Part {part}")
                parts.append(part)
                reached.set()
                stopping.wait(5)
            return {}

        stopping = threading.Event()
        job = jobs.start("Long", work)
        self.assertTrue(reached.wait(5))
        jobs.stop(job.id)
        stopping.set()
        self.assertEqual(self.finished(jobs, job.id), JobState.STOPPED)
        self.assertEqual(parts, [0])

    def test_a_failure_is_told_in_words(self) -> None:
        jobs = Jobs()

        def work(progress: Progress) -> dict[str, object]:
            raise BadRequest("why", "It is so.", "Do this.")

        job = jobs.start("Fail", work)
        self.assertEqual(self.finished(jobs, job.id), JobState.FAILED)
        problem = jobs.view(job.id).problem
        assert problem is not None
        self.assertEqual((problem.message, problem.fix), ("It is so.", "Do this."))

    def test_a_model_is_told_as_plain_values(self) -> None:
        jobs = Jobs()
        job = jobs.start("Say", lambda progress: Said(words="so", when=datetime.date(2026, 3, 4)))
        self.finished(jobs, job.id)
        self.assertEqual(jobs.result(job.id), {"words": "so", "when": "2026-03-04"})

    def test_a_result_that_cannot_be_told_ends_the_job_in_words(self) -> None:
        jobs = Jobs()
        with self.assertLogs("stonestack.services.jobs", "ERROR"):
            job = jobs.start("Say", lambda progress: Unsayable())
            self.assertEqual(self.finished(jobs, job.id), JobState.FAILED)
        problem = jobs.view(job.id).problem
        assert problem is not None
        self.assertEqual(problem.code, "our-fault")
        self.assertNotIn("Traceback", problem.message + problem.fix)

    def test_what_is_not_made_yet_is_said(self) -> None:
        jobs, go = Jobs(), threading.Event()
        job = jobs.start("Wait", lambda progress: {"waited": go.wait(10)})
        with self.assertRaises(Conflict) as caught:
            jobs.result(job.id)
        self.assertEqual(caught.exception.code, "not-made")
        go.set()
        self.finished(jobs, job.id)
        self.assertEqual(jobs.result(job.id), {"waited": True})

    def test_a_job_that_waits_its_turn_is_stopped_at_once_and_never_begun(self) -> None:
        jobs, go, begun = Jobs(), threading.Event(), []
        busy = [jobs.start("Busy", lambda progress: {"done": go.wait(10)}) for _ in range(2)]
        third = jobs.start("Third", lambda progress: begun.append(1) or {})
        fourth = jobs.start("Fourth", lambda progress: {"turn": "came"})
        self.assertEqual(jobs.view(third.id).state, JobState.WAITING)
        self.assertEqual(jobs.stop(third.id).state, JobState.STOPPED)
        go.set()
        for _ in range(500):
            if jobs.view(fourth.id).state is JobState.DONE:
                break
            time.sleep(0.01)
        self.assertEqual(self.finished(jobs, fourth.id), JobState.DONE)
        self.assertEqual({jobs.view(j.id).state for j in busy}, {JobState.DONE})
        self.assertEqual((jobs.view(third.id).state, begun), (JobState.STOPPED, []))

    def test_many_jobs_are_forgotten_oldest_first_but_never_one_under_way(self) -> None:
        jobs, go = Jobs(), threading.Event()
        long = jobs.start("Long", lambda progress: {"done": go.wait(20)})
        first = jobs.start("First", lambda progress: {})
        while jobs.view(first.id).state is not JobState.DONE:
            time.sleep(0.005)
        ids = [jobs.start(f"Job {n}", lambda progress: {}).id for n in range(400)]
        while jobs.view(ids[-1]).state is not JobState.DONE:
            time.sleep(0.005)
        last = jobs.start("Last", lambda progress: {})
        with self.assertRaises(NotFound) as caught:
            jobs.view(first.id)
        self.assertEqual(caught.exception.code, "no-such-job")
        with self.assertRaises(NotFound):
            jobs.stop(first.id)
        self.assertEqual(jobs.view(long.id).state, JobState.RUNNING)
        go.set()
        self.finished(jobs, last.id)
        self.assertEqual(jobs.view(long.id).state, JobState.DONE)

    def test_closing_stops_what_runs_and_drops_what_waits(self) -> None:
        jobs, running = Jobs(), threading.Event()

        def work(progress: Progress) -> dict[str, object]:
            for part in range(10_000):
                running.set()
                progress.at(part / 10_000, "Part")
                time.sleep(0.001)
            return {}

        begun = [jobs.start("Long", work) for _ in range(2)]
        late = jobs.start("Late", work)
        self.assertTrue(running.wait(5))
        started = time.monotonic()
        jobs.close()
        self.assertLess(time.monotonic() - started, 5)
        for job in (*begun, late):
            self.assertEqual(jobs.view(job.id).state, JobState.STOPPED)
        self.assertEqual(jobs.view(late.id).progress, 0)
