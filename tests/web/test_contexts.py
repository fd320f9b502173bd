"""Each template uses just what its typed context holds."""

from dataclasses import fields
from pathlib import Path

import pytest
from jinja2 import meta, nodes

from helvor.web import (
    api,
    board,
    class_set_up,
    containers,
    devices,
    errors,
    history,
    joining,
    members,
    people,
    places,
    reading,
    room,
    search,
    today,
    unknowns,
)
from helvor.web.column import instrument as columns
from helvor.web.crystallization import instrument as crystals
from helvor.web.extraction import instrument as extracting
from helvor.web.filtration import instrument as filtering
from helvor.web.plan import routes as plans
from helvor.web.planar import compare, photographs, routes
from helvor.web.practice import drills
from helvor.web.practice import plate as practice
from helvor.web.practice import runs as practice_runs
from helvor.web.prep import routes as preps
from helvor.web.reckon import amounts, layers, plates
from helvor.web.reckon import columns as column_sums
from helvor.web.reckon import crystals as crystal_sums
from helvor.web.reckon import routes as reckoning
from helvor.web.rendering import ENVIRONMENT, Shell
from helvor.web.review import answers as answer_sheets
from helvor.web.review import class_page as review
from helvor.web.review import imports, reports
from helvor.web.run import crafts, shown
from helvor.web.run import routes as runs
from helvor.web.shelf import routes as shelves

PAGES = [
    ("sign_in.html", people.SignInPage),
    ("join.html", joining.JoinPage),
    ("joining.html", joining.JoiningPage),
    ("today.html", today.TodayPage),
    ("class.html", room.ClassPage),
    ("wall.html", room.WallPage),
    ("board_lane.html", board.LaneShown),
    ("board_row.html", board.RowShown),
    ("day.html", room.DayPage),
    ("notices.html", room.NoticesShown),
    ("unknowns.html", unknowns.UnknownsPage),
    ("practice/runs.html", practice_runs.PracticeRunsPage),
    ("practice/run.html", practice_runs.PracticeRunPage),
    ("devices/page.html", devices.InstrumentsPage),
    ("devices/work.html", devices.Instruments),
    ("devices/display.html", devices.DisplayShown),
    ("review/review.html", review.ReviewPage),
    ("review/found.html", review.ReviewFound),
    ("review/answers.html", answer_sheets.AnswersPage),
    ("review/answers_work.html", answer_sheets.AnswersWork),
    ("practice/drill.html", drills.DrillPage),
    ("practice/plate.html", practice.VirtualPlatePage),
    ("practice/plate_work.html", practice.VirtualPlate),
    ("search.html", search.SearchPage),
    ("report/bench.html", reports.BenchReport),
    ("report/class.html", reports.ClassReport),
    ("report/handout.html", reports.Handout),
    ("report/prep.html", reports.PrepReport),
    ("report/job.html", reports.JobPage),
    ("report/job_shown.html", reports.JobShown),
    ("review/import.html", imports.ImportPage),
    ("review/preview.html", imports.PreviewPage),
    ("review/class_in.html", imports.ClassInPage),
    ("review/sheet.html", answer_sheets.SheetPage),
    ("numbers.html", unknowns.NumberLabelsPage),
    ("people.html", members.PeoplePage),
    ("invitation.html", members.InvitationPage),
    ("new_class.html", class_set_up.NewClassPage),
    ("class_set_up.html", class_set_up.SetUpPage),
    ("bench.html", places.BenchPage),
    ("refused.html", errors.RefusedPage),
    ("reset.html", members.ResetPage),
    ("said_here.html", errors.SaidHere),
    ("sent_before.html", errors.SentBeforePage),
    ("api.html", api.ApiPage),
    ("planar/plate.html", routes.PlatePage),
    ("planar/work.html", routes.Work),
    ("planar/form.html", routes.FormFragment),
    ("planar/form_page.html", routes.FormPage),
    ("history.html", history.HistoryPage),
    ("understood.html", reading.UnderstoodShown),
    ("planar/plate.svg", routes.PlateFile),
    ("prep/prep.html", preps.PrepPage),
    ("prep/period.html", preps.PeriodShown),
    ("prep/tick.html", preps.TickShown),
    ("planar/compare.html", compare.ComparePlatesPage),
    ("planar/photo.html", photographs.PhotographPage),
    ("planar/photo_body.html", photographs.PhotographFragment),
    ("containers.html", containers.ContainersPage),
    ("labels.html", containers.LabelsPage),
    ("plan/list.html", plans.ProceduresPage),
    ("plan/builder.html", plans.BuilderPage),
    ("plan/work.html", plans.BuilderWork),
    ("plan/form.html", plans.BuilderFormFragment),
    ("plan/form_page.html", plans.BuilderFormPage),
    ("plan/compare.html", plans.ComparePage),
    ("plan/start.html", plans.ScalePage),
    ("plan/rules.html", plans.RulesPage),
    ("shelf/shelf.html", shelves.ShelfPage),
    ("shelf/found.html", shelves.ShelfFound),
    ("run/run.html", shown.RunPage),
    ("run/work.html", shown.RunWork),
    ("run/strip.html", shown.StripShown),
    ("run/form.html", shown.RunFormFragment),
    ("run/form_page.html", shown.RunFormPage),
    ("run/net.html", shown.NetShown),
    ("run/ink.html", shown.Ink),
    ("run/scheme.svg", runs.SchemeFile),
    ("reckon/reckon.html", reckoning.ReckonPage),
    ("reckon/work.html", reckoning.ReckonWork),
    ("reckon/outline.svg", reckoning.OutlineShown),
    ("reckon/folds.html", amounts.FoldsShown),
    ("reckon/tuning.html", plates.TuningPlot),
    ("reckon/sheet.html", plates.SheetShown),
    ("reckon/sheet.svg", reckoning.SheetToPrint),
    ("reckon/left.html", amounts.WashPlot),
    ("reckon/layers.html", layers.LayersShown),
    ("reckon/charts.html", layers.ChartsShown),
    ("reckon/scheme.html", layers.SchemeShown),
    ("reckon/elution.html", column_sums.ElutionShown),
    ("reckon/solubility.html", crystal_sums.SolubilityShown),
    ("reckon/set_up.html", amounts.SetUpShown),
    ("filtration/filter.html", filtering.FilterShown),
    ("filtration/wash.html", filtering.WashShown),
    ("filtration/oven.html", filtering.OvenShown),
    ("filtration/form.html", crafts.CraftForm),
    ("extraction/funnel.html", extracting.FunnelStep),
    ("extraction/ph.html", extracting.PhStep),
    ("extraction/dry.html", extracting.DryStep),
    ("extraction/discard.html", extracting.DiscardStep),
    ("extraction/reflux.html", extracting.RefluxStep),
    ("extraction/form.html", crafts.CraftForm),
    ("column/column.html", columns.ColumnStep),
    ("column/tube.html", columns.TubeShown),
    ("column/form.html", crafts.CraftForm),
    ("crystallization/crystals.html", crystals.CrystalsStep),
    ("crystallization/melting.html", crystals.MeltingStep),
    ("crystallization/tries.html", crystals.TriesStep),
    ("crystallization/form.html", crafts.CraftForm),
]
SHELL = {f.name for f in fields(Shell)}


def names_used(template: str, seen: set[str] | None = None) -> set[str]:
    """Context names that a template, what it extends and what it includes take."""
    seen = seen if seen is not None else set()
    seen.add(template)
    source, _, _ = ENVIRONMENT.loader.get_source(ENVIRONMENT, template)
    tree = ENVIRONMENT.parse(source)
    set_here = {name.name for name in tree.find_all(nodes.Name) if name.ctx == "store"}
    imported = {name if isinstance(name, str) else name[1] for f in tree.find_all(nodes.FromImport) for name in f.names}
    own = set_here | imported | {macro.name for macro in tree.find_all(nodes.Macro)}
    used = meta.find_undeclared_variables(tree) - set(ENVIRONMENT.globals) - own
    for node in tree.find_all((nodes.Include, nodes.Extends)):
        other = node.template.value
        if other not in seen:
            used |= names_used(other, seen) - own  # what a template sets reaches what it includes
    return used


@pytest.mark.parametrize(("template", "context"), PAGES)
def test_no_name_is_missing_and_none_is_left_over(template, context):
    held = {f.name for f in fields(context)}
    used = names_used(template)
    extra = {"form"} if template == "planar/plate.html" else set()  # set by {% with %} around the included form
    assert used - held <= extra
    assert held - used <= SHELL


def test_every_page_template_has_a_context():
    root = Path(routes.__file__).parents[1] / "templates"
    pages = {str(p.relative_to(root)) for p in root.rglob("*") if p.is_file() and not p.name.startswith("_")}
    assert pages - {"base.html"} == {template for template, _ in PAGES}
