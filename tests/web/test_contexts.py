"""Each template uses just what its typed context holds."""

from dataclasses import fields

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
    meeting,
    members,
    people,
    places,
    reading,
    search,
    starts,
    today,
    unknowns,
)
from helvor.web.calculators import amounts, layers, plates
from helvor.web.calculators import columns as column_sums
from helvor.web.calculators import crystals as crystal_sums
from helvor.web.calculators import routes as reckoning
from helvor.web.practice import drills
from helvor.web.practice import plate as practice
from helvor.web.practice import runs as practice_runs
from helvor.web.prep import routes as preps
from helvor.web.procedures import handout, library
from helvor.web.procedures import routes as plans
from helvor.web.reference_data import routes as shelves
from helvor.web.rendering import ENVIRONMENT, WEB, Shell
from helvor.web.review import answers as answer_sheets
from helvor.web.review import class_page as review
from helvor.web.review import imports, reports
from helvor.web.run import at_step, shown
from helvor.web.run import routes as runs
from helvor.web.techniques.column import instrument as columns
from helvor.web.techniques.crystallization import instrument as crystals
from helvor.web.techniques.extraction import instrument as extracting
from helvor.web.techniques.filtration import instrument as filtering
from helvor.web.techniques.planar import compare, photographs, routes

PAGES = [
    ("sign_in.html", people.SignInPage),
    ("join.html", joining.JoinPage),
    ("joining.html", joining.JoiningPage),
    ("today.html", today.TodayPage),
    ("class.html", meeting.ClassPage),
    ("wall.html", meeting.WallPage),
    ("board_lane.html", board.LaneShown),
    ("board_row.html", board.RowShown),
    ("day.html", meeting.DayPage),
    ("notices.html", meeting.NoticesShown),
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
    ("techniques/planar/plate.html", routes.PlatePage),
    ("techniques/planar/work.html", routes.Work),
    ("techniques/planar/form.html", routes.FormFragment),
    ("techniques/planar/form_page.html", routes.FormPage),
    ("history.html", history.HistoryPage),
    ("starts/starts.html", starts.StartsPage),
    ("starts/start.html", starts.StartPage),
    ("starts/ahead.html", starts.AheadShown),
    ("procedures/handout.html", handout.HandoutPage),
    ("procedures/library.html", library.LibraryPage),
    ("procedures/starter.html", library.StarterPage),
    ("procedures/handout_read.html", handout.HandoutReadPage),
    ("readings.html", history.ReadingsFragment),
    ("readings_page.html", history.ReadingsPage),
    ("understood.html", reading.UnderstoodShown),
    ("techniques/planar/plate.svg", routes.PlateFile),
    ("prep/prep.html", preps.PrepPage),
    ("prep/period.html", preps.PeriodShown),
    ("prep/tick.html", preps.TickShown),
    ("techniques/planar/compare.html", compare.ComparePlatesPage),
    ("techniques/planar/photo.html", photographs.PhotographPage),
    ("techniques/planar/photo_body.html", photographs.PhotographFragment),
    ("containers.html", containers.ContainersPage),
    ("labels.html", containers.LabelsPage),
    ("vessel.html", containers.VesselPage),
    ("procedures/list.html", plans.ProceduresPage),
    ("procedures/builder.html", plans.BuilderPage),
    ("procedures/work.html", plans.BuilderWork),
    ("procedures/form.html", plans.BuilderFormFragment),
    ("procedures/form_page.html", plans.BuilderFormPage),
    ("procedures/compare.html", plans.ComparePage),
    ("procedures/start.html", plans.ScalePage),
    ("procedures/rules.html", plans.RulesPage),
    ("reference_data/shelf.html", shelves.ShelfPage),
    ("reference_data/found.html", shelves.ShelfFound),
    ("run/run.html", shown.RunPage),
    ("run/work.html", shown.RunWork),
    ("run/strip.html", shown.StripShown),
    ("run/form.html", shown.RunFormFragment),
    ("run/form_page.html", shown.RunFormPage),
    ("run/net.html", shown.NetShown),
    ("run/ink.html", shown.Ink),
    ("run/scheme.svg", runs.SchemeFile),
    ("calculators/calculator.html", reckoning.CalculatorPage),
    ("calculators/work.html", reckoning.CalculatorWork),
    ("calculators/outline.svg", reckoning.OutlineShown),
    ("calculators/folds.html", amounts.FoldsShown),
    ("calculators/tuning.html", plates.TuningPlot),
    ("calculators/sheet.html", plates.SheetShown),
    ("calculators/sheet.svg", reckoning.SheetToPrint),
    ("calculators/left.html", amounts.WashPlot),
    ("calculators/layers.html", layers.LayersShown),
    ("calculators/charts.html", layers.ChartsShown),
    ("calculators/scheme.html", layers.SchemeShown),
    ("calculators/elution.html", column_sums.ElutionShown),
    ("calculators/solubility.html", crystal_sums.SolubilityShown),
    ("calculators/set_up.html", amounts.SetUpShown),
    ("techniques/filtration/filter.html", filtering.FilterShown),
    ("techniques/filtration/wash.html", filtering.WashShown),
    ("techniques/filtration/oven.html", filtering.OvenShown),
    ("techniques/filtration/form.html", at_step.TechniqueForm),
    ("techniques/extraction/funnel.html", extracting.FunnelStep),
    ("techniques/extraction/ph.html", extracting.PhStep),
    ("techniques/extraction/dry.html", extracting.DryStep),
    ("techniques/extraction/discard.html", extracting.DiscardStep),
    ("techniques/extraction/reflux.html", extracting.RefluxStep),
    ("techniques/extraction/form.html", at_step.TechniqueForm),
    ("techniques/column/column.html", columns.ColumnStep),
    ("techniques/column/tube.html", columns.TubeShown),
    ("techniques/column/form.html", at_step.TechniqueForm),
    ("techniques/crystallization/crystals.html", crystals.CrystalsStep),
    ("techniques/crystallization/melting.html", crystals.MeltingStep),
    ("techniques/crystallization/tries.html", crystals.TriesStep),
    ("techniques/crystallization/form.html", at_step.TechniqueForm),
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
    extra = (
        {"form"} if template == "techniques/planar/plate.html" else set()
    )  # set by {% with %} around the included form
    assert used - held <= extra
    assert held - used <= SHELL


def test_every_page_template_has_a_context():
    pages = {
        str(p.relative_to(root))
        for root, folder in ((WEB, WEB / "techniques"), (WEB / "templates", WEB / "templates"))
        for p in folder.rglob("*")
        if p.suffix in {".html", ".svg"} and not p.name.startswith("_")
    }
    assert pages - {"base.html"} == {template for template, _ in PAGES}
