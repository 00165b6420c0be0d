"""A game in several files is the game in one: its numbers, its faults with their places, and what is written into it."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.game.source import MAX_BYTES

FOES = ("kinds", "attacks", "statuses")
PLAY = ("rules", "habits", "variants", "targets")
SPLIT = {
    "shop.yaml": """
        title: Shop
        clock: {step: 1, limit: 9}
        include: [goods.yaml, rules/day.yaml]
        numbers: {price: 3}
        stats: {till: {start: 5, min: 0}}
        rules: [{name: rent, when: {every: 2}, do: ["till -= 1"]}]
        """,
    "goods.yaml": """
        # What is sold.
        about: Told of this file alone.
        kinds:
          bun: {copies: 2, stats: {weight: 4, crumbs: 1}}  # by weight
          cake: {like: bun}
        tables: {rent: {file: rent.csv}}
        """,
    "rules/day.yaml": """
        rules:
          - {name: sold, when: {every: 1}, do: ["till += price + bun[1].weight + cake.weight - rent.cost[1]"]}
        variants: {dear: {price: 4}}
        """,
    "rent.csv": "day,cost\n1,2\n",
}


def written(folder: Path, texts: dict[str, str]) -> Path:
    for name, text in texts.items():
        (folder / name).parent.mkdir(exist_ok=True)
        lines = text.strip("\n").splitlines()
        (folder / name).write_text("\n".join(line.removeprefix(" " * 8) for line in lines).rstrip() + "\n", "utf-8")
    return folder / next(iter(texts))


@pytest.fixture
def shop(tmp_path: Path) -> Path:
    return written(tmp_path, SPLIT)


@pytest.fixture
def split(tmp_path: Path) -> Path:
    """The demo in three files."""
    head, *parts = re.split(r"(?m)^(?=[a-z_]+:)", mint.demo_path().read_text("utf-8"))
    sections = {part.partition(":")[0]: part for part in parts}
    own = "".join(part for name, part in sections.items() if name not in (*FOES, *PLAY))
    path = tmp_path / "saltmere.yaml"
    path.write_text(f"{head}{own}include: [foes.yaml, parts/play.yaml]\n", "utf-8")
    (tmp_path / "parts").mkdir()
    (tmp_path / "foes.yaml").write_text("".join(sections[name] for name in FOES), "utf-8")
    (tmp_path / "parts" / "play.yaml").write_text("".join(sections[name] for name in PLAY), "utf-8")
    return path


def test_the_demo_in_three_files_is_the_demo(split: Path) -> None:
    one, other = mint.load(split), mint.load(mint.demo_path())
    assert one.source.data == other.source.data
    assert one.study(runs=200).measures.equals(other.study(runs=200).measures)
    assert one.run(seed=5).journal.equals(other.run(seed=5).journal)


def test_its_text_is_the_whole_game(split: Path, shop: Path) -> None:
    for path in (split, shop):
        game = mint.load(path)
        text = game.to_yaml()
        assert mint.loads(text).source.data == game.source.data
        assert "include" not in text
    assert "# by weight" in mint.load(shop).to_yaml()


def test_lists_are_joined_in_order_and_places_are_told_in_their_files(shop: Path) -> None:
    game = mint.load(shop)
    assert [rule.name for rule in game.rules] == ["rent", "sold"]
    places = [game.source.place(path) for path in (("rules", 0), ("rules", 1), ("kinds", "cake"), ("numbers", "price"))]
    folder = shop.parent
    assert [(Path(place.file), place.line) for place in places] == [
        (shop, 6),
        (folder / "rules" / "day.yaml", 2),
        (folder / "goods.yaml", 5),
        (shop, 4),
    ]
    # 5, less 1 every other step, more 3 + 4 + 4 - 2 in each.
    assert game.run().at(4)["till"] == 5 - 2 + 4 * 9


def test_numbers_are_written_where_they_stand(shop: Path) -> None:
    game = mint.load(shop)
    for dial, file, text in (
        ("price", "shop.yaml", "numbers: {price: 7}"),
        ("bun.weight", "goods.yaml", "bun: {copies: 2, stats: {weight: 7, crumbs: 1}}  # by weight"),
        ("cake.weight", "goods.yaml", "cake: {like: bun, stats: {weight: 7}}"),
        ("rent.cost[1]", "rent.csv", "1,7"),
    ):
        turned = game.with_dials({dial: 7}).source
        assert text in (turned.files[file] if file != "shop.yaml" else turned.text)
        same = {name for name in SPLIT if name != "shop.yaml" and turned.files[name] == game.source.files[name]}
        assert same == set(SPLIT) - {"shop.yaml", file}
        assert (turned.text == game.source.text) == (file != "shop.yaml")


@pytest.mark.parametrize("each", [12, pytest.param(1, marks=pytest.mark.night)])
def test_every_dial_of_the_split_demo_is_written_as_in_one_file(split: Path, each: int) -> None:
    one, other = mint.load(split), mint.load(mint.demo_path())
    assert list(one.dials) == list(other.dials)
    # One of each twelve here, and all of them with the slow tests.
    for name, value in list(one.dials.items())[::each]:
        if isinstance(value, str):
            continue
        new = not value if isinstance(value, bool) else value + 1
        try:
            wanted = other.with_dials({name: new}).source
        except mint.GameError:
            continue
        turned = one.with_dials({name: new}).source
        assert turned.data == wanted.data, name
        assert bool(turned.text) == bool(wanted.text), name


def test_commands_write_into_the_file_that_holds_it(split: Path, command: Command) -> None:
    before, foes = split.read_text("utf-8"), split.parent / "foes.yaml"
    foes.write_text(foes.read_text("utf-8").replace("bite: 12", "bite: 20"), "utf-8")
    done = command(
        "tune",
        split,
        "--dial",
        "crab.bite=8..20",
        "--target",
        "careful players mostly get through",
        "--runs",
        "400",
        "--write",
    )
    assert done.returncode == 0, done.stderr
    assert split.read_text("utf-8") == before
    assert 8 <= mint.load(split).dials["crab.bite"] <= 16
    assert "foes.yaml" in done.stdout + done.stderr


def test_a_variant_is_written_where_variants_stand(shop: Path) -> None:
    from mint_ledger.lowering.patched import with_numbers

    game = mint.load(shop)
    turned = with_numbers(game, {"price": 9}, "dear")
    assert "dear: {price: 9}" in turned.files["rules/day.yaml"] and turned.text == game.source.text
    new = with_numbers(game, {"price": 9}, "cheap")
    assert "cheap: {price: 9}" in new.text


def test_what_changes_in_an_included_file_is_seen(shop: Path) -> None:
    first = mint.load(shop)
    goods = shop.parent / "goods.yaml"
    goods.write_text(goods.read_text("utf-8").replace("weight: 4", "weight: 5"), "utf-8")
    assert first.dials["bun.weight"] == 4 and mint.load(shop).dials["bun.weight"] == 5
    goods.write_text(goods.read_text("utf-8").replace("weight: 5", "wait: 5"), "utf-8")
    with pytest.raises(mint.GameError) as caught:
        mint.load(shop)
    assert {Path(fault.place.file).name for fault in caught.value.faults} <= {"goods.yaml", "day.yaml"}
    goods.unlink()
    with pytest.raises(mint.GameError, match=r"shop.yaml:3:11: include: 'goods.yaml' does not stand beside"):
        mint.load(shop)


@pytest.mark.parametrize(
    ("file", "text", "told"),
    [
        ("shop.yaml", "include: 5", "shop.yaml:1:1: include: wants the names of files beside this one"),
        ("shop.yaml", "include: [a.yaml, a.yaml]", "shop.yaml:1:19: include: 'a.yaml' stands here twice"),
        (
            "shop.yaml",
            "include: [a.yaml, ./shop.yaml]",
            "shop.yaml:1:19: include: './shop.yaml' is the game file itself",
        ),
        ("shop.yaml", "include: [../a.yaml]", "shop.yaml:1:11: include: '../a.yaml' stands outside the folder"),
        ("shop.yaml", "include: [/etc/hosts]", "stands outside the folder"),
        ("shop.yaml", f"include: {[f'{n}.yaml' for n in range(60)]}", "60 files are too many"),
        ("a.yaml", "include: [b.yaml]", "a.yaml:1:1: include: a file that is included includes no others"),
        ("a.yaml", "mint_ledger: 2", "a.yaml:1:1: mint_ledger: the game file is of format 1, and this one of 2"),
        ("a.yaml", "title: Other", "a.yaml:1:1: title: 'title' stands in shop.yaml, line 2 already"),
        ("a.yaml", "clock: {step: 1}", "a.yaml:1:1: clock: 'clock' stands in shop.yaml, line 4 already"),
        ("a.yaml", "stats: {b: 1, till: 2}", "a.yaml:1:15: stats.till: 'till' stands in shop.yaml, line 5 already"),
        ("a.yaml", "stats: [1]", "a.yaml:1:1: stats: wants a mapping in every file"),
        ("a.yaml", "rules: {}", "a.yaml:1:1: rules: wants a list in every file"),
        ("a.yaml", "stats: {c: {strat: 1}}", "a.yaml:1:13: c: unknown key 'strat'"),
        ("a.yaml", "rules: [{do: [till += x]}]", "a.yaml:1:9: rules[2].when: 'when' is missing"),
        ("a.yaml", "rules: [{when: {every: 1}, do: [till += x]}]", "a.yaml:1:33"),
        ("a.yaml", "rools: []", "a.yaml:1:1: unknown key 'rools'"),
        ("a.yaml", "- 1", "a.yaml:1:1: a game file is a mapping"),
        ("a.yaml", "stats: {b: 1", "a.yaml:"),
        ("a.yaml", "", "a.yaml:1:1: the file is empty"),
        ("a.yaml", "#" * MAX_BYTES, "letters together at most"),
    ],
)
def test_faults_are_told_in_their_own_file(
    tmp_path: Path, file: str, text: str, told: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    texts = {
        "shop.yaml": "mint_ledger: 1\ntitle: Shop\ninclude: a.yaml\nclock: {step: 1}\nstats: {till: 5}\n"
        "rules: [{when: {every: 1}, do: [till += 1]}]\n",
        "a.yaml": "stats: {b: 1}\n",
    }
    for name, content in {**texts, file: text}.items():
        (tmp_path / name).write_text(content, "utf-8")
    monkeypatch.chdir(tmp_path)
    with pytest.raises(mint.GameError) as caught:
        mint.load("shop.yaml")
    assert told in str(caught.value)


def test_a_text_without_a_folder_says_so() -> None:
    with pytest.raises(mint.GameError, match="game:2:1: include: names files beside the game file, and this game is"):
        mint.loads("title: Bare\ninclude: [foes.yaml]\n")


def test_findings_and_orders_name_the_file(shop: Path, command: Command) -> None:
    order = command("check", shop, "--order").stdout
    assert "day.yaml line 2  sold" in order and "  line 6    rent" in order
    why = command("why", shop, "till").stdout
    assert "day.yaml line 2  {name: sold" in why
    found = command("audit", shop, "--json", "--all", "--only", "stat-never-read").stdout
    assert "goods.yaml" in found


def test_a_revision_of_git_has_its_own_files(shop: Path, command: Command) -> None:
    def git(*words: str) -> None:
        subprocess.run(["git", "-c", "user.name=a", "-c", "user.email=a@b.c", *words], cwd=shop.parent, check=True)

    git("init", "-q")
    git("add", ".")
    git("commit", "-q", "-m", "first")
    goods = shop.parent / "goods.yaml"
    goods.write_text(goods.read_text("utf-8").replace("weight: 4", "weight: 5"), "utf-8")
    done = command("compare", "HEAD:./shop.yaml", "shop.yaml", "--runs", "100", cwd=shop.parent)
    assert "bun.weight" in done.stdout and "4" in done.stdout, done.stderr


def test_a_playtest_stands_in_the_file_that_holds_it(tmp_path: Path) -> None:
    files = {
        "x.mint.yaml": "title: X\ninclude: [p.yaml]\nstats: {a: 1}\n",
        "p.yaml": "# first\nplaytests:\n  one: {expect: [{at: 0, that: a == 2}]}\n",
    }
    for name, text in files.items():
        (tmp_path / name).write_text(text, "utf-8")
    options = ["-q", "-p", "no:cacheprovider", "-p", "no:xdist", "-o", "junit_family=xunit1", "--junit-xml", "out.xml"]
    done = subprocess.run(
        [sys.executable, "-m", "pytest", *options, "x.mint.yaml"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
    )
    assert "1 failed" in done.stdout, done.stdout + done.stderr
    assert 'file="p.yaml" line="2"' in (tmp_path / "out.xml").read_text("utf-8")
