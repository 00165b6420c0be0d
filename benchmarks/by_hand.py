"""Saltmere Light, careful keeper, as a designer would write it in plain Python.

Classes for what the game has (stats with limits and recovery, timers, statuses, creatures that are updated each
step), and `random`. The rules are those of the game file; the luck is Python's own, so single nights differ while
shares agree. It was written to be read, not to be slow: no work is done that the night does not need.
"""

from __future__ import annotations

import random
from collections.abc import Callable

STEP = 0.05
LIMIT = 240.0


class Stat:
    """A number with limits that recovers or fades by itself."""

    def __init__(
        self, value: float, low: float = 0.0, high: float = float("inf"), rate: float = 0.0, after: float = 0.0
    ) -> None:
        self.value = value
        self.low = low
        self.high = high
        self.rate = rate
        self.after = after
        self.after_empty = after
        self.wait = 0.0

    def change(self, amount: float) -> None:
        self.value = max(self.low, min(self.high, self.value + amount))
        if amount * self.rate < 0:
            self.wait = self.after_empty if self.value <= self.low else self.after

    def update(self, dt: float) -> None:
        if self.wait > 0:
            self.wait -= dt
        elif self.rate:
            self.value = max(self.low, min(self.high, self.value + self.rate * dt))


class Timer:
    """Calls something every so often."""

    def __init__(self, period: Callable[[], float], action: Callable[[], None]) -> None:
        self.period = period
        self.action = action
        self.left = period()

    def update(self, dt: float) -> None:
        self.left -= dt
        while self.left <= 1e-9:
            self.left += self.period()
            self.action()


class Status:
    """Something that a creature has for a while."""

    def __init__(self, seconds: float, every: float = 0.0, action: Callable[[], None] | None = None) -> None:
        self.left = seconds
        self.timer = Timer(lambda: every, action) if action else None

    def update(self, dt: float) -> bool:
        if self.timer:
            self.timer.update(dt)
        self.left -= dt
        return self.left > 1e-9


class Foe:
    """A creature that strikes the keeper."""

    def __init__(self, game: Game, health: float, every: float, worth: int) -> None:
        self.game = game
        self.health = Stat(health)
        self.worth = worth
        self.attack = Timer(lambda: every, self.strike)

    def update(self, dt: float) -> None:
        self.attack.update(dt)

    def strike(self) -> None:
        raise NotImplementedError


class Crab(Foe):
    def __init__(self, game: Game) -> None:
        super().__init__(game, health=22, every=1.4, worth=1)

    def strike(self) -> None:
        keeper, rng = self.game.keeper, self.game.rng
        if keeper.is_safe or rng.random() >= 0.8 or rng.random() < 0.05:
            return
        keeper.take_hit(12, kind="cold")
        if rng.random() < 0.1 and "chill" not in keeper.statuses:
            keeper.statuses["chill"] = Status(5, every=1, action=lambda: keeper.hurt(2))


class Bosun(Foe):
    def __init__(self, game: Game) -> None:
        super().__init__(game, health=70, every=2.5, worth=5)

    def strike(self) -> None:
        keeper, rng = self.game.keeper, self.game.rng
        if keeper.is_safe or rng.random() < 0.05:
            return
        crit = 2 if rng.random() < 0.1 else 1
        keeper.take_hit(rng.randint(10, 18) * crit, kind="blunt")
        keeper.strain.change(25)
        keeper.strain_wait = 8.0
        if keeper.strain.value >= keeper.footing:
            keeper.statuses["dazed"] = Status(1.2)
            keeper.strain.value = 0


class Keeper:
    """The player, and the habit by which it is played."""

    def __init__(self, game: Game) -> None:
        self.game = game
        self.health = Stat(100, high=100)
        self.stamina = Stat(60, high=60, rate=12, after=1)
        self.shutters = Stat(40, high=40, rate=5, after=2)
        self.shutters.after_empty = 4
        self.strain = Stat(0)
        self.strain_wait = 0.0
        self.footing = 80
        self.oil = Stat(70, high=90, rate=-0.5)
        self.lives = 3
        self.broth = Stat(2, high=3)
        self.standing = Stat(0, low=-100, high=100)
        self.honoured = False
        self.statuses: dict[str, Status] = {}
        self.safe = 0.0
        self.cooldown = 0.0
        self.sipping = 0.0
        self.reaction = game.rng.uniform(0.2, 0.5)
        self.finds = Timer(lambda: game.rng.uniform(20, 40), self.find_can)

    @property
    def is_safe(self) -> bool:
        return self.safe > 1e-9

    def hurt(self, amount: float) -> None:
        self.health.change(-amount)
        if self.health.value <= 0:
            self.lives -= 1
            self.health.value = self.health.high
            self.statuses["dazed"] = Status(1.5)

    def take_hit(self, damage: float, kind: str) -> None:
        damage = max(0, damage - 2)
        if kind == "cold":
            damage *= 0.75
        damage = max(1, damage)
        self.safe = 0.8
        held = min(damage, self.shutters.value)
        if held > 0:
            self.shutters.change(-held)
        if damage > held:
            self.hurt(damage - held)

    def find_can(self) -> None:
        if self.game.cans:
            self.oil.change(self.game.cans.pop(0))

    def update(self, dt: float) -> None:
        for stat in (self.health, self.stamina, self.shutters, self.strain, self.oil):
            stat.update(dt)
        if self.strain_wait > 0:
            self.strain_wait -= dt
            if self.strain_wait <= 0:
                self.strain.value = 0
        self.safe -= dt
        self.cooldown -= dt
        for name, status in list(self.statuses.items()):
            if not status.update(dt) and self.statuses.get(name) is status:
                del self.statuses[name]
        if self.sipping > 0:
            self.sipping -= dt
            if "dazed" in self.statuses:
                self.sipping = 0
            elif self.sipping <= 1e-9:
                self.sipping = 0
                self.broth.change(-1)
                self.health.change(45)
        self.finds.update(dt)
        self.reaction -= dt
        if self.reaction <= 1e-9 and not self.sipping:
            self.act()
            self.reaction = self.game.rng.uniform(0.2, 0.5)

    def act(self) -> None:
        if "dazed" in self.statuses:
            return
        slips = self.game.rng.random() < 0.03
        stamina = self.stamina.value * (0.8 if "chill" in self.statuses else 1)
        if self.broth.value > 0 and self.health.value < 45:
            if not slips:
                self.sipping = 0.6
        elif self.cooldown <= 1e-9 and self.game.foes and self.stamina.value >= 9 and stamina > 20 and not slips:
            self.swing()

    def swing(self) -> None:
        self.stamina.change(-9)
        self.cooldown = 0.7
        foe = min(self.game.foes, key=lambda f: f.health.value)
        foe.health.change(-10)
        if foe.health.value <= 0:
            self.game.foes.remove(foe)
            self.standing.change(foe.worth)
            if self.standing.value >= 10 and not self.honoured:
                self.honoured = True
                self.broth.change(1)


class Game:
    """One night."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        self.time = 0.0
        self.ships = 0
        self.foes: list[Foe] = []
        self.cans: list[float] = []
        self.keeper = Keeper(self)
        self.timers = [
            Timer(lambda: 18, self.ship_passes),
            Timer(lambda: rng.uniform(5, 12), self.crab_climbs),
            Timer(lambda: 45, self.bosun_rises),
            Timer(lambda: 24, self.can_washes_up),
            Timer(lambda: rng.uniform(15, 35), self.run_downstairs),
        ]
        self.enter("gallery")

    def enter(self, level: str) -> None:
        self.level, self.level_time = level, 0.0
        if level == "gallery":
            self.foes, self.cans = [Crab(self), Crab(self)], [15]
        else:
            self.foes, self.cans = [Crab(self), Crab(self), Crab(self), Bosun(self)], [15, 15]
            self.keeper.broth.value = 2

    def ship_passes(self) -> None:
        if self.keeper.oil.value > 0:
            self.ships += 1

    def crab_climbs(self) -> None:
        if sum(isinstance(foe, Crab) for foe in self.foes) < 5:
            self.foes.insert(0, Crab(self))

    def bosun_rises(self) -> None:
        if self.level_time > 40 and not any(isinstance(foe, Bosun) for foe in self.foes):
            self.foes.append(Bosun(self))

    def can_washes_up(self) -> None:
        if len(self.cans) < 3:
            self.cans.append(15)

    def run_downstairs(self) -> None:
        speed = self.rng.gauss(5, 1.5)
        if speed > 6:
            self.keeper.hurt(4 * (speed - 6))

    def ending(self) -> str | None:
        if self.keeper.oil.value <= 0:
            return "lamp out"
        if self.keeper.lives <= 0:
            return "keeper lost"
        if self.ships >= 12:
            return "harbour safe"
        if self.time >= LIMIT:
            return "unfinished"
        return None

    def update(self, dt: float) -> None:
        self.time += dt
        self.level_time += dt
        self.keeper.update(dt)
        for foe in list(self.foes):
            foe.update(dt)
        for timer in self.timers:
            timer.update(dt)
        if self.level == "gallery" and self.level_time >= 90:
            self.enter("rocks")


def play(rng: random.Random) -> tuple[str, float]:
    """One night: its ending and its time."""
    game = Game(rng)
    while True:
        game.update(STEP)
        ending = game.ending()
        if ending:
            return ending, game.time
