"""Random valid games over the vocabulary, for property tests."""

from __future__ import annotations

from typing import Any

from hypothesis import strategies as st

NUMBERS = st.one_of(st.integers(-20, 60), st.floats(-20, 60, allow_nan=False).map(lambda x: round(x, 2)))
SMALL = st.integers(1, 12)
PERIODS = st.sampled_from([0.3, 0.5, 0.7, 1, 1.25, 2, "between(0.5, 2)", "1 + ants[1].size / 40"])


@st.composite
def stat(draw: st.DrawFn) -> dict[str, Any]:
    starts = st.one_of(
        st.integers(5, 40), st.sampled_from(["between(5, 20)", "base + whole(0, 9)", "hoard.much[base]"])
    )
    made: dict[str, Any] = {"start": draw(starts)}
    if draw(st.booleans()):
        made["min"] = draw(st.sampled_from([0, -10, "0 - base"]))
    if draw(st.booleans()):
        made["max"] = draw(st.sampled_from([40, 45, "30 + base", "smooth(hoard.much, 20 + base)"]))
    if "max" in made and draw(st.integers(0, 3)) == 0:
        made["start"] = "max / 2"
    if draw(st.booleans()):
        made["whole"] = True
        made["round"] = draw(st.sampled_from(["nearest", "down", "up"]))
    if made.get("min") == 0 and made.get("max") == 40 and draw(st.booleans()):
        made["at_limit"] = "wrap"
        return made
    kinds = draw(st.sampled_from([(), ("recover",), ("fade",), ("recover", "fade")]))
    at_once = draw(st.booleans())
    for kind in kinds:
        flow: dict[str, Any] = {"to": draw(st.sampled_from([0, 20, 35, "base"]))}
        if not at_once:
            flow["rate"] = draw(st.sampled_from([0.5, 3, 12, "1 + base / 10"]))
            if draw(st.booleans()):
                del flow["to"]
        else:
            flow["at_once"] = True
        if draw(st.booleans()):
            flow["after"] = draw(st.sampled_from([0.5, 1, 2]))
        if draw(st.booleans()):
            flow["if"] = "base > 8"
        made[kind] = flow
    return made


@st.composite
def do_list(draw: st.DrawFn, owner: str | None) -> list[Any]:
    targets = ["queen.size", "queen.food", "ants[1].size", "ants[2].food", "heat"]
    if owner:
        targets += ["size", "food"]
    if draw(st.integers(0, 5)) == 0:
        return [draw(st.sampled_from(["queen.mood = wild", "queen.mood = calm", "queen.awake = false"]))]
    steps: list[Any] = []
    for _ in range(draw(st.integers(1, 3))):
        target = draw(st.sampled_from(targets))
        amount = draw(
            st.sampled_from(
                [
                    "1",
                    "2.5",
                    "7",
                    "dice(1, 6)",
                    "between(0, 3)",
                    "queen.base / 4",
                    "heat / 8 + 1",
                    "visit",
                    "hits(bite)",
                    "hoard.much[heat]",
                    "key_at(hoard.much, heat)",
                    "pick(1, 2, 5, weights=(1, 0, heat / 50 + 1))",
                ]
            )
        )
        choice = draw(st.integers(0, 9))
        if choice < 4:
            steps.append(f"{target} {draw(st.sampled_from(['+=', '-=']))} {amount}")
        elif choice == 4:
            steps.append(f"{draw(st.sampled_from(['fill', 'empty']))} queen.size")
        elif choice == 5:
            steps.append(
                {"if": f"{target} > {draw(SMALL)}", "do": [f"{target} -= 1"], "else": [f"{target} = {amount}"]}
                | ({"named": "rarely"} if draw(st.booleans()) else {})
            )
            if draw(st.booleans()):
                last = steps[-1].pop("else")
                steps += [{"else if": "heat > 13", "do": [f"{target} += 1"]}]
                steps += [{"else if": "heat > 11", "do": ["heat += 0.5"], "else": last}]
        elif choice == 6:
            steps.append({"each": "ants", "do": ["other.size -= 1", {"tell": "{other} has {other.size}"}]})
        elif choice == 7:
            steps.append(
                draw(
                    st.sampled_from(
                        [
                            {"lot": "find"},
                            {"lot": "find", "times": 2, "without": "repeats"},
                            {"lot": "treat"},
                            {"spawn": "ants", "count": "1 + heat / 10", "set": {"size": amount}},
                            {
                                "each": "ants",
                                "as": "one",
                                "do": [{"each": "ants", "as": "two", "do": ["one.food += two.size / 9"]}],
                            },
                            {"spawn": "ants"},
                            {"spawn": "ants", "where": {"one": "ants", "most": "other.food"}},
                            {"move": "queen", "to": {"one": "ants", "least": "other.x", "ties": "random"}},
                            {"one": "ants", "least": "other.size", "if": "other.food > 3", "do": ["other.size += 2"]},
                            {
                                "one": "ants",
                                "most": "floor(one.food / 9)",
                                "as": "one",
                                "ties": "random",
                                "do": [f"one.food -= {amount}"],
                                "else": ["heat += 1"],
                            },
                            {"remove": "ants[3]"},
                            {"meet": ["ants[1]", "queen"], "for": 0.4},
                        ]
                    )
                )
            )
        elif choice == 8:
            more: list[Any] = [{"cue": "alarm", "with": {"level": amount}}, {"go": "deep"}, {"go": "back"}]
            more += [{"give": "sticky", "to": "queen", "for": 0.7}, {"end": "sticky", "to": "ants[2]"}]
            more += [
                {"give": "sticky", "to": "ants[1]"},
                {"safe": "queen", "for": 0.5},
                {"move": "queen", "to": [3, "heat / 10"]},
            ]
            steps.append(draw(st.sampled_from(more)))
        elif owner == "ants":
            steps.append({"attack": "bite"})
        else:
            steps.append({"hit": "queen", "with": "bite", "by": "ants[1]"})
    return steps


@st.composite
def rule(draw: st.DrawFn, owner: str | None) -> dict[str, Any]:
    triggers: list[Any] = [
        {"every": draw(PERIODS)},
        "start",
        {"becomes": f"queen.size < {draw(st.integers(0, 30))}"},
        {"becomes": f"heat >= {draw(st.integers(0, 30))}"},
        {"cue": "alarm"},
        {"struck" if owner == "queen" else "hit": "bite"},
        {"gone": "ants"},
        {"appears": "ants"},
        {"becomes": "misses(bite) > 2 and level == deep"},
        {"enters": "heat hot"},
        {"every": 3, "of": "queen.food"},
        {"every": "queen.base / 4", "of": "heat", "first": 13},
        {"level": "deep"},
        {"becomes": "has(queen, sticky) and distance(queen, ants[1]) < 8"},
    ]
    if owner != "queen":
        triggers.append({"act": "dig"})
    if owner == "ants":
        triggers += [{"meets": "queen"}, {"in_contact": "queen"}, "gone", "appears"]
    made: dict[str, Any] = {"when": draw(st.sampled_from(triggers)), "do": draw(do_list(owner))}
    # Few names, so that owners share them; many rules have none.
    name = draw(st.sampled_from([None, None, "echo", "pay", "pay #2"]))
    if name is not None:
        made["name"] = name
    # A reaction that sets itself off again is a fault of the game, not of the engine: it happens a few times only.
    made["at_most"] = draw(st.integers(1, 6))
    if draw(st.booleans()):
        made["chance"] = draw(st.sampled_from([0.2, 0.7]))
    if draw(st.booleans()):
        made["cooldown"] = draw(st.sampled_from([0.5, 1]))
    if draw(st.booleans()):
        made["if"] = draw(
            st.sampled_from(
                [
                    "heat < 30",
                    "count(ants) > 1",
                    "any(ants.size > 3)",
                    "chance(0.5)",
                    "queen.mood == wild",
                    "queen.awake",
                ]
            )
        )
    return made


@st.composite
def games(draw: st.DrawFn) -> dict[str, Any]:
    stats = {"size": draw(stat()), "food": draw(stat())}
    hit: dict[str, Any] = {"through": draw(st.sampled_from([["size"], ["food", "size"]]))}
    for key, values in (
        ("safe_for", [0.3, 1]),
        ("armor", [1, 2.5]),
        ("dodge", [0.1]),
        ("at_least", [1]),
        ("at_most", [4]),
    ):
        if draw(st.booleans()):
            hit[key] = draw(st.sampled_from(values))
    ants: dict[str, Any] = {
        "copies": draw(st.integers(2, 4)),
        "room": 5,
        "side": "nest",
        "stats": {"base": 10, "size": draw(stat()), "food": draw(stat())},
        "when_hit": {"through": "food"},
        "rules": draw(st.lists(rule("ants"), max_size=2)),
    }
    if draw(st.booleans()):
        ants["gone_if"] = "size <= 0"
    # Endings under kinds, of the name that the game's own has.
    ants["endings"] = {"starved": {"result": "win", "if": "size > 38"}}
    bite: dict[str, Any] = {
        "from": "ants",
        "to": "queen",
        "damage": draw(st.sampled_from([2, "dice(1, 4)", "self.size / 5"])),
    }
    bite["when"] = draw(st.sampled_from([{"every": 0.8}, "meets", "in_contact"]))
    for key, values in (
        ("lands", [0.6]),
        ("crit", [{"chance": 0.2, "times": 2}]),
        ("costs", [{"food": 1}]),
        ("cooldown", [0.5, 1.3]),
    ):
        if draw(st.booleans()):
            bite[key] = draw(st.sampled_from(values))
    if draw(st.booleans()):
        bite["lasts"] = 0.3
    for key, values in (("reach", [3, 9]), ("arc", [90]), ("behind", [{"times": 1.5, "skips": ["armor"]}])):
        if draw(st.booleans()):
            bite[key] = draw(st.sampled_from(values))
    bite["aims"] = draw(
        st.sampled_from(["first", "nearest", "random", "all", {"if": "other.size > 4"}, {"ties": "random"}])
    )
    kick: dict[str, Any] = {"from": "queen", "to": "ants", "when": {"every": 0.7}, "damage": 1}
    by_value = st.sampled_from([{"most": "other.food"}, {"least": "floor(other.size / 8)"}])
    kick["aims"] = draw(by_value) | draw(st.sampled_from([{}, {"ties": "random"}, {"if": "other.size > size / 3"}]))
    moves = st.sampled_from(
        [
            {"toward": "queen", "speed": 4},
            {"toward": {"one": "ants", "most": "other.size", "if": "other.food < 20"}, "speed": 2},
            {"away": "queen", "speed": 2},
            {"ahead": "self.size / 8 - 1"},
            {"between": [[0, 0], [6, 3]], "speed": 3},
            [{"if": "heat > 15", "still": True}, {"along": [[1, 1], [5, 5]], "speed": 2}],
        ]
    )
    ants |= {"where": [6, 0], "radius": 0.4, "moves": draw(moves)}
    if draw(st.booleans()):
        ants["immune"] = ["sticky"]
    sticky: dict[str, Any] = {
        "lasts": draw(st.sampled_from([0.5, 2])),
        "changes": {"size": draw(st.sampled_from([{"times": 0.5}, {"to": 4, "plus": 1}]))},
    }
    if draw(st.booleans()):
        sticky |= {"every": 0.4, "do": ["food -= 1"]}
    sticky["blocks"] = draw(st.sampled_from([["dig"], ["moves"], "all", ["bite"]]))
    sticky["again"] = draw(st.sampled_from(["restart", "extend", "ignore", {"stack": 3}]))
    dig: dict[str, Any] = {"by": "ants", "costs": {"food": 2}, "cooldown": 0.4, "do": draw(do_list("ants"))}
    if draw(st.booleans()):
        dig |= {"lasts": 0.4, "breaks_if": "size < 3"}
    acts: list[Any] = [{"do": "dig"}]
    lick: dict[str, Any] = {"by": "ants", "to": draw(st.sampled_from(["ants", ["self", "ants"]])), "cooldown": 0.3}
    lick |= {"costs": {"food": "other.size / 20"}, "do": ["other.size += 1", "size -= 0.5"]}
    if draw(st.booleans()):
        lick |= {"needs": "other.size < 20", "lasts": 0.2}
    whom = st.sampled_from([{}, {"to": "any"}, {"to": {"least": "other.size", "if": "other.food > 2"}}])
    if draw(st.booleans()):
        acts = [{"do": "wait", "if": "heat > 13"}, {"do": "lick", **draw(whom)}, *acts]
    levels = {
        "top": {"present": {"ants": 2}, "until": "level_time >= 2", "next": "deep"},
        "deep": {
            "present": {"ants": 3},
            "start": {"queen.food": 9},
            "again": draw(st.sampled_from(["fresh", "as_left"])),
        },
    }
    clock: dict[str, Any] = {"step": draw(st.sampled_from([0.05, 0.1, 0.3])), "limit": 6}
    turns: dict[str, Any] = {}
    if draw(st.integers(0, 3)) == 0:
        clock = {"unit": "turn", "limit": 30}
        order = ["queen", "ants[1]", "ants[2]"]
        turns = {"turns": draw(st.sampled_from([order, {"order": order, "pass": {"cue": "alarm"}}]))}
        turns["readout"] = ["{turn}: {whose} with {whose.size}"]
    queen: dict[str, Any] = {"side": "crown", "where": [0, 0], "radius": 0.5, "faces": 90}
    if draw(st.booleans()):
        lives = {"stat": "food", "spent_if": "size <= 2", "fill": ["size"], "safe_for": 0.5, "where": [1, 1]}
        queen["lives"] = lives
    return {
        "title": "Nest",
        "clock": clock,
        **turns,
        "tables": {"hoard": {"columns": ["key", "much"], "rows": [[1, 8], [9, 14.5], [10, 15], [12, 21], [31, 40]]}},
        "lots": {
            "find": {
                "of": {
                    "food": {"weight": 3, "do": ["queen.food += 1"]},
                    "heat": {"weight": "heat / 20", "sure_by": 3, "do": ["heat += 0.5", {"lot": "treat"}]},
                    "none": 4,
                },
                "shared": draw(st.booleans()),
            },
            "treat": {"of": {"big": {"weight": 1, "sure_by": 4, "do": ["queen.size += 2"]}, "small": 2}},
        },
        "stats": {"heat": {"start": 12, "bands": {"cold": "..10", "hot": "20.."}}},
        "kinds": {
            "queen": {
                **queen,
                "stats": {"base": 10, "mood": {"one_of": ["calm", "wild"]}, "awake": True, **stats},
                "when_hit": hit,
                "rules": draw(st.lists(rule("queen"), max_size=3)),
                "endings": {"starved": {"result": "lose", "if": "food > 44"}},
            },
            "ants": ants,
        },
        "space": {},
        "attacks": {"bite": bite, "kick": kick} if draw(st.booleans()) else {"bite": bite},
        "actions": {"dig": dig, "lick": lick},
        "statuses": {"sticky": sticky},
        "habits": {
            "eager": {
                "by": "ants",
                "reaction": "between(0.2, 0.6)",
                "slips": 0.1,
                "acts": acts,
                "goes_on": draw(st.booleans()),
            }
        },
        **({"levels": levels} if draw(st.booleans()) else {"levels": {"deep": levels["deep"]}}),
        "rules": draw(st.lists(rule(None), min_size=1, max_size=3)),
        "endings": {
            "starved": {"result": "lose", "if": "queen.size <= 0"},
            "cooked": {"result": "draw", "if": "heat > 45"},
        },
    }
