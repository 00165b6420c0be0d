"""Tuning where a dial is a word: each word is a game of its own, tuned or judged by itself under the same luck."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.balance.dial_range import Bounds, today_of
from mint_ledger.balance.targets import Judged, judge_these
from mint_ledger.balance.tune_many import TunedMany, tune_dials
from mint_ledger.errors import BadRequest, nearest
from mint_ledger.game.target import Target
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Budget

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, repr=False)
class TunedWords(Result):
    """What each word of a dial comes to.

    Attributes:
        dial: the dial that is a word.
        today: the word that it is now.
        judged: for each word the targets as they stand, where no other dial was to be tuned.
        tuned: for each word what tuning the other dials found.
    """

    title: str
    dial: str
    today: str
    judged: Mapping[str, Sequence[Judged]]
    tuned: Mapping[str, TunedMany]

    @property
    def reached(self) -> tuple[str, ...]:
        """The words with which all targets are met."""
        judged = [word for word, targets in self.judged.items() if all(one.verdict == "met" for one in targets)]
        return (*judged, *(word for word, tuned in self.tuned.items() if tuned.reached))

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a word and target: word, target, verdict, value, low, high; of a tuned one its answer."""
        import pandas as pd

        judged = dict(self.judged) | {
            word: one.judged
            for word, tuned in self.tuned.items()
            for one in (*tuned.answers, *filter(None, (tuned.nearest,)))[:1]
        }
        rows = [
            [word, one.target.name, one.verdict, one.estimate.value, one.estimate.low, one.estimate.high]
            for word, some in judged.items()
            for one in some
        ]
        return pd.DataFrame(rows, columns=["word", "target", "verdict", "value", "low", "high"])

    @finite
    def as_json(self) -> dict[str, Any]:
        """All of it as plain values."""
        return {
            "dial": self.dial,
            "today": self.today,
            "reached": list(self.reached),
            "words": {
                **{word: {"targets": [one.as_json() for one in targets]} for word, targets in self.judged.items()},
                **{word: tuned.as_json() for word, tuned in self.tuned.items()},
            },
        }

    def summary(self) -> str:
        """The answers as text."""
        return showing.text("tune_text.tuned_words_text", self)

    def __str__(self) -> str:
        return self.summary()


def tune_words(
    game: PlayableGame,
    dial: str,
    words: Sequence[str],
    bounds: Mapping[str, Bounds],
    targets: Sequence[Target],
    budget: Budget,
    setting: Setting,
) -> TunedWords:
    """Tune a game for each word of a dial; see `Game.tune_words`.

    Raises:
        NotFound: there is no such dial, habit or measure.
        BadRequest: the dial is no word, or cannot be one of these.
    """
    today = today_of(game, dial)
    if not isinstance(today, str):
        raise BadRequest(f"'{dial}' is no word; a number is tuned by its range")
    known = game.dials.words[game.dials.find(dial)]
    for word in words:
        if word not in known:
            raise BadRequest(f"'{dial}' is one of {', '.join(known)}, not '{word}'{nearest(word, known)}")
    judged: dict[str, Sequence[Judged]] = {}
    tuned: dict[str, TunedMany] = {}
    for word in words or known:
        turned = game.with_dials({dial: word})
        if bounds:
            tuned[word] = tune_dials(turned, bounds, targets, budget.shared(len(words or known)), setting)
        else:
            judged[word] = judge_these(turned, targets, budget.runs, setting)[0]
    return TunedWords(setting.title(game), dial, today, judged, tuned)
