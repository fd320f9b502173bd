"""Practice runs: whatever is chosen, nothing is lost, the ordinary ledger takes what was typed, and costs are reruns."""

import random
from datetime import UTC, datetime, timedelta
from functools import cache
from uuid import UUID

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helvor.core.engine.run.entries import Following
from helvor.core.engine.run.reading_line import beside, understand
from helvor.core.engine.run.work_out import work_out
from helvor.core.practice.rehearsal import MOST_DECISIONS, Bench, costs, dangers, play, whereabouts
from helvor.core.practice.rehearsals import STORIES, story
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.entry import Entry
from helvor.core.techniques.registered import TECHNIQUES
from helvor.shelf.procedures import shipped_procedure

KEYS = sorted(STORIES)
SEEDS = st.integers(0, 2**31 - 1)


def at_random(key, seed, choice_seed):
    """A run in which every decision is taken by lot."""
    lot, choices = random.Random(choice_seed), {}
    while True:
        played = play(STORIES[key], choices, seed)
        if played.open is None:
            return played
        choices[played.open.key] = lot.choice(played.open.options).key


def sheet_of(played):
    """What the ordinary run makes of what was typed."""
    procedure, now = shipped_procedure(played.story.procedure), datetime(2026, 1, 5, tzinfo=UTC)
    entries = [Entry(UUID(int=1), 1, Following(procedure=procedure), None, "", "Ida", now)]
    for number, line in enumerate(played.lines):
        step, text = beside(line, procedure)
        payload = understand(text, entries, step, TECHNIQUES, sure=True).payload
        at = now + timedelta(minutes=20 * number)
        entries.append(Entry(UUID(int=number + 2), number + 2, payload, None, "", "Ida", at))
    return work_out(entries, techniques=TECHNIQUES)


@cache
def decisions(key):
    """Every decision that a story asks for in some run, with its options."""
    found = {}
    for lot in range(60):
        for made in at_random(key, 5, lot).made:
            found[made.decision.key] = made.decision
    return found


@settings(max_examples=60)
@given(st.sampled_from(KEYS), SEEDS, st.integers(0, 10**6))
def test_nothing_appears_and_nothing_is_lost(key, seed, lot):
    played = at_random(key, seed, lot)
    for component, brought in played.brought.items():
        there = sum(held.get(component, 0.0) for held in played.places.values())
        assert there == pytest.approx(brought, abs=1e-9), component
    assert all(grams >= -1e-12 for held in played.places.values() for grams in held.values())
    outcome = played.outcome
    assert 0 <= outcome.recovery <= 1 and all(0 <= one <= 1 + 1e-9 for one in outcome.purity.values())


@settings(max_examples=25, deadline=None)
@given(st.sampled_from(KEYS), SEEDS, st.integers(0, 10**6))
def test_the_ordinary_run_takes_whatever_was_typed(key, seed, lot):
    played = at_random(key, seed, lot)
    sheet = sheet_of(played)
    for one in played.story.products:
        portion = sheet.ledger.portion(one.portion)
        weighed = played.outcome.weighed[one.portion]
        if (
            portion is not None
            and portion.mass is not None
            and weighed is not None
            and one.portion not in ("camphor vapour", "extract")
        ):
            assert portion.mass.value == pytest.approx(weighed, abs=0.004), one.portion


@pytest.mark.parametrize("key", KEYS)
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_the_usual_way_gives_a_good_run_without_a_stop(key, seed):
    played = play(STORIES[key], {}, seed, usually=True)
    assert played.outcome.recovery > 0.8 and min(played.outcome.purity.values()) > 0.94
    assert not [said for made in played.made for said in made.said if said.level == "stop"]
    assert not [finding for finding in sheet_of(played).findings if finding.level == "stop"]
    assert all(one.grams == 0 for one in costs(played))


@pytest.mark.parametrize("key", KEYS)
def test_the_usual_is_among_what_is_offered_and_its_place_says_nothing(key):
    places = set()
    for one in decisions(key).values():
        assert one.usual in {option.key for option in one.options} and len(one.options) >= 2
        for seed in range(8):
            offered = one.offered(seed)
            assert sorted(o.key for o in offered) == sorted(o.key for o in one.options)
            places.add(next(n for n, option in enumerate(offered) if option.key == one.usual))
    assert places >= {0, 1}
    assert 4 <= len(decisions(key)) <= MOST_DECISIONS


@pytest.mark.parametrize(
    ("key", "decision", "choice", "grams"),
    [
        ("crystals", "water", "little", 0.4),
        ("crystals", "water", "plenty", 0.1),
        ("crystals", "charcoal", "boiling", 0.3),
        ("crystals", "hot", "bare", 0.6),
        ("crystals", "cool", "room", 0.1),
        ("crystals", "collect", "water", 0.08),
        ("crystals", "wash", "much", 0.1),
        ("crystals", "dry", "hot", 0.15),
        ("three", "acid", "weak", 0.2),
        ("three", "mix", "closed", 0.15),
        ("three", "keep", "extracts", 0.8),
        ("three", "base", "little", 0.2),
        ("three", "acidify", "yellow", 0.06),
        ("three", "bath", "hot", 0.15),
        ("iron", "eluent", "weak", 0.09),
        ("iron", "evaporate", "long", 0.008),
        ("iron", "pool", "rich", 0.003),
        ("powder", "evaporate", "open", 0.05),
        ("powder", "sublime", "strong", 0.08),
        ("powder", "rinse", "none", 0.03),
        ("powder", "sublime", "short", 0.02),
        ("sulfate", "barium", "little", 0.1),
        ("sulfate", "paper", "fast", 0.002),
        ("sulfate", "digest", "none", 0.002),
        ("tablet", "grind", "broken", 0.05),
        ("tablet", "pour", "none", 0.01),
        ("tablet", "shake", "short", 0.04),
        ("chalk", "soda", "less", 0.15),
        ("chalk", "decant", "hasty", 0.06),
        ("chalk", "pour", "at-once", 0.02),
    ],
)
def test_a_mistake_costs_product(key, decision, choice, grams):
    for seed in (1, 9):
        played = play(STORIES[key], {decision: choice}, seed, usually=True)
        cost = next(one for one in costs(played) if one.made.decision.key == decision)
        assert not cost.usual and cost.grams > grams
        # by itself: the difference to the usual run is that one decision's
        usual = play(STORIES[key], {}, seed, usually=True)
        difference = sum(usual.outcome.grams.values()) - sum(played.outcome.grams.values())
        assert cost.grams == pytest.approx(difference, abs=1e-12)


@pytest.mark.parametrize(
    ("key", "decision", "choice"),
    [
        ("crystals", "charcoal", "boiling"),
        ("crystals", "dry", "hot"),
        ("powder", "sublime", "strong"),
        ("powder", "evaporate", "open"),
        ("tablet", "dry", "oven"),
        ("three", "mix", "closed"),
        ("three", "base", "one"),
        ("three", "bath", "hot"),
    ],
)
def test_a_danger_is_told_and_is_never_a_gain(key, decision, choice):
    """Whatever is decided afterwards, it stands in the debrief; what it saved does not count for it."""
    for seed in range(4):
        played = play(STORIES[key], {decision: choice}, seed, usually=True)
        [(made, said)] = dangers(played)
        assert (made.decision.key, made.choice, said.level) == (decision, choice, "stop")
        cost = next(one for one in costs(played) if one.made.decision.key == decision)
        assert cost.level == "stop" and cost.dangers == [said]
        assert min(cost.grams, cost.purity, cost.minutes) >= 0
        assert dangers(play(STORIES[key], {}, seed, usually=True)) == []


@pytest.mark.parametrize("acid", ["three", "one", "weak"])
@pytest.mark.parametrize("base", ["three", "one", "little"])
def test_what_is_added_to_the_extracts_fits_what_is_in_them(acid, base):
    """In mmol: base against the acid that was put in and the salt it made, acid against the base, by hand."""
    played = play(STORIES["three"], {"acid": acid, "base": base}, 3, usually=True)
    ml = {
        line.split(": take ")[1].rsplit(" ", 2)[0]: float(line.split()[-2])
        for line in played.lines
        if ": take 6 M" in line
    }
    acid_in = 3 * {"three": 30, "one": 30, "weak": 10}[acid]
    base_in = {"three": 45, "one": 45, "little": 5}[base]
    # To pH 9 all the acid has met base; to pH 2 all the base has met acid, and a hundredth of a mole a litre is free.
    assert 6 * ml["6 M sodium hydroxide"] == pytest.approx(acid_in, abs=1.0)
    assert 6 * ml["6 M hydrochloric acid"] == pytest.approx(base_in, abs=1.6)


@pytest.mark.parametrize(
    ("key", "decision", "choice", "points"),
    [
        ("sulfate", "wash", "none", 0.01),
        ("tablet", "grind", "broken", 0.1),
        ("chalk", "decant", "none", 0.1),
        ("chalk", "decant", "one", 0.005),
        ("crystals", "hot", "skip", 0.02),
        ("powder", "water", "unstirred", 0.005),
        ("three", "acid", "one", 0.01),
        ("powder", "weigh-salt", "once", 0.1),
    ],
)
def test_a_mistake_costs_purity(key, decision, choice, points):
    played = play(STORIES[key], {decision: choice}, 4, usually=True)
    cost = next(one for one in costs(played) if one.made.decision.key == decision)
    assert cost.purity > points


@pytest.mark.parametrize(
    ("key", "choices", "code"),
    [
        ("crystals", {"water": "plenty"}, "too-much-solvent"),
        ("crystals", {"weigh": "once"}, "dried-once"),
        ("three", {"mix": "closed"}, "never-vented"),
        ("three", {"keep": "extracts"}, "layer-gone"),
        ("three", {"acid": "one"}, "too-few-portions"),
        ("three", {"acidify": "yellow"}, "ph-not-reached"),
        ("three", {"base": "little"}, "base-short"),
        ("iron", {"head": "dry"}, "ran-dry"),
        ("iron", {"weigh": "once"}, "above-possible"),
        ("sulfate", {"blank": "none"}, "paper-air-dry"),
        ("sulfate", {"barium": "little"}, "little-precipitant"),
        ("sulfate", {"paper": "fast", "cloudy": "accept"}, "filtrate-cloudy"),
        ("powder", {"sublime": "short"}, "still-fuming"),
        ("powder", {"residue": "warm"}, "closure-above"),
        ("powder", {"water": "little"}, "little-water"),
        ("chalk", {"decant": "none"}, "above-possible"),
    ],
)
def test_the_ordinary_page_finds_what_was_done_wrong(key, choices, code):
    usual = {one.code for one in sheet_of(play(STORIES[key], {}, 2, usually=True)).findings}
    wrong = {one.code for one in sheet_of(play(STORIES[key], choices, 2, usually=True)).findings}
    assert code in wrong and code not in usual


@given(st.sampled_from(KEYS), SEEDS)
def test_the_same_seed_and_choices_give_the_same_run(key, seed):
    one, other = (play(STORIES[key], {}, seed, usually=True) for _ in range(2))
    assert one.lines == other.lines and one.outcome == other.outcome


def test_a_decision_changes_nothing_before_it():
    one = play(STORIES["crystals"], {"wash": "none"}, 3, usually=True)
    other = play(STORIES["crystals"], {"wash": "much"}, 3, usually=True)
    at = [made.decision.key for made in one.made].index("wash")
    assert [made.lines for made in one.made[:at]] == [made.lines for made in other.made[:at]]


def test_a_run_stops_where_nothing_is_chosen():
    played = play(STORIES["chalk"], {"soda": "more"}, 1)
    assert played.open.key == "pour" and played.outcome is None and len(played.made) == 1
    with pytest.raises(ValueError, match="finished"):
        costs(played)
    assert sum(lost.grams for lost in whereabouts(played)["calcium, as carbonate"]) == pytest.approx(
        played.brought["calcium, as carbonate"], abs=1e-3
    )


def test_what_is_not_offered_is_refused():
    with pytest.raises(Unreadable, match="one of the options"):
        play(STORIES["chalk"], {"soda": "none of it"}, 1)
    with pytest.raises(Unreadable, match="no such practice run"):
        story("gold")


@given(st.dictionaries(st.sampled_from("abc"), st.floats(0, 5), min_size=1), st.lists(st.floats(-1, 9), max_size=6))
def test_a_bench_moves_no_more_than_there_is(held, moves):
    bench = Bench(1)
    for component, grams in held.items():
        bench.bring("dish", component, grams)
    for grams in moves:
        bench.move("dish", "beaker", "a", grams)
    assert bench.at("dish") + bench.at("beaker") == pytest.approx(sum(held.values()))
    assert bench.at("dish", "a") >= 0
