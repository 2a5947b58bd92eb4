import time
from unittest import mock

from escala.stage.render import StageJob, render_frame
from escala.web import demo
from escala.web.app_context import AppContext
from escala.web.demo import FINISHED, DemoRender, demo_folder, start_demo
from escala.web.settings import Settings
from tests.fixtures import FolderTest

SMALL = ("--size", "32x18", "--samples=2")
STILL = DemoRender("Night quay", "", "night_quay.0012.exr", (*SMALL, "--frames=12"), True)
NEAR = DemoRender("Ropes", "near", "ropes_and_gulls.0012.exr", (*SMALL, "--frames=12", "--layer=near"), False, STILL)
PREVIEW = DemoRender("Night arrival", "arrival", "night_quay.####.exr", (*SMALL, "--frames=7-8"), False)


class DemoTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.settings = Settings(self.folder / "home", (self.folder / "home" / "demo",))
        before = demo.DEMO_RENDERS
        demo.DEMO_RENDERS = (STILL, NEAR, PREVIEW)
        self.addCleanup(setattr, demo, "DEMO_RENDERS", before)
        skies = mock.patch.object(demo, "write_skies")
        skies.start()
        self.addCleanup(skies.stop)
        # At a lower priority it would wait for all other tests.
        nice = mock.patch.object(demo.shutil, "which", return_value=None)
        nice.start()
        self.addCleanup(nice.stop)

    def context(self) -> AppContext:
        context = AppContext(self.settings)
        self.addCleanup(context.close)
        return context

    def shots_of(self, context: AppContext, wanted: int) -> list[str]:
        """The names of the shots, once there are so many; five minutes are enough for images of this size."""
        end = time.monotonic() + 300
        while time.monotonic() < end:
            with context.database.reading() as session:
                names = [shot.name for shot in demo.all_shots(session)]
            if len(names) >= wanted:
                return names
        return names

    def test_both_shots_are_rendered_once_and_kept(self) -> None:
        context = self.context()
        start_demo(context)
        self.assertEqual(self.shots_of(context, 2), ["Night quay", "Night arrival"])
        self.assertTrue((demo_folder(self.settings) / FINISHED).exists())
        self.assertEqual(len(context.render_of(2).frames), 2)
        self.assertEqual(list(context.further_of(1)), ["Ropes"])
        times = {f: f.stat().st_mtime_ns for f in demo_folder(self.settings).rglob("*.exr")}
        again = self.context()
        start_demo(again)
        self.assertEqual(self.shots_of(again, 2), ["Night quay", "Night arrival"])
        self.assertEqual({f: f.stat().st_mtime_ns for f in demo_folder(self.settings).rglob("*.exr")}, times)

    def test_a_finished_render_is_shown_without_rendering(self) -> None:
        demo.DEMO_RENDERS = (STILL,)
        folder = demo_folder(self.settings)
        folder.mkdir(parents=True)
        render_frame(StageJob(32, 18, 1), 12, folder / STILL.source)
        (folder / FINISHED).touch()
        context = self.context()
        start_demo(context)
        self.assertEqual(self.shots_of(context, 1), ["Night quay"])
        self.assertEqual([job for job in context.jobs._jobs.values() if job.what.startswith("rendering")], [])
