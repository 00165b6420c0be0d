"""Words of the trade that a designer tries as keys, and the keys that mean it here."""

from __future__ import annotations

from collections.abc import Container

# Each word with the keys that may be meant, the first that a part knows is taken; and the line as it should read.
_WORDS: dict[str, tuple[tuple[str, str], ...]] = {}


def _mean(words: str, *keys: tuple[str, str]) -> None:
    _WORDS.update(dict.fromkeys(words.split(), keys))


_mean("regen regeneration heal healing regenerate", ("recover", "recover: {rate: 2}"))
_mean("decay drain degen", ("fade", "fade: {rate: 2}"))
_mean("duration length time lifetime", ("lasts", "lasts: 3"))
_mean("range radius", ("reach", "reach: 2.5"))
_mean("target targets victim against", ("to", "to: crab"))
_mean("source attacker owner", ("from", "from: crab"), ("by", "by: keeper"))
_mean("count amount number quantity how_many", ("copies", "copies: 3"))
_mean("team faction party", ("side", "side: sea"))
_mean("on_death death dies die dead kill killed_if dies_if", ("gone_if", "gone_if: health <= 0"))
_mean("cap limit maximum max_hp max_health max_value ceiling", ("max", "max: 100"), ("most", "most: other.health"))
_mean("floor minimum min_value", ("min", "min: 0"), ("least", "least: other.health"))
_mean("max highest biggest largest strongest", ("most", "most: other.health"))
_mean("min lowest smallest weakest", ("least", "least: other.health"))
_mean("tie tie_break tiebreak tiebreaker", ("ties", "ties: random"))
_mean("where filter only", ("if", "if: other.health > 0"))
_mean("initial default value base begin", ("start", "start: 10"))
_mean("parent extends inherits inherit", ("like", "like: crab"))
_mean("requires condition needs only_if unless", ("if", "if: stamina >= 5"))
_mean("probability percent prob odds rate", ("chance", "chance: 0.3"), ("lands", "lands: 0.8"))
_mean("accuracy hit_chance to_hit", ("lands", "lands: 0.8"), ("chance", "chance: 0.3"))
_mean("stacks stack max_stacks stacking", ("again", "again: {stack: 3}"))
_mean("pierce pierces piercing ignores", ("skips", "skips: [armor]"))
_mean("foreach for_each for loop", ("each", "each: crab"))
_mean("elif elseif else_if", ("else if", "else if: ships > 2"), ("else", "else: {if: ships > 2, do: [ships = 0]}"))
_mean("otherwise", ("else", "else: [ships = 0]"))
_mean("evade evasion", ("dodge", "dodge: 0.2"))
_mean("defense defence armour", ("armor", "armor: 2"))
_mean("cost price", ("costs", "costs: {stamina: 15}"))
_mean("cooldown_time recharge reload", ("cooldown", "cooldown: 2"))
_mean("delay wait", ("after", "after: 2"), ("cooldown", "cooldown: 2"))
_mean("tick interval period timer frequency", ("every", "every: 2"), ("when", "when: {every: 2}"))
_mean("trigger on event", ("when", "when: {every: 2}"), ("cue", "cue: landed"))
_mean("then effect effects actions_to_do does", ("do", "do: [ships += 1]"))
_mean("enemies enemy units unit characters entities objects actors", ("kinds", "kinds: {crab: {stats: {health: 10}}}"))
_mean("constants parameters params variables vars settings", ("numbers", "numbers: {pace: 2}"))
_mean("events triggers", ("rules", "rules: [{when: {every: 10}, do: [ships += 1]}]"))
_mean("win lose win_if lose_if victory defeat", ("endings", "endings: {lost: {result: lose, if: keeper.health <= 0}}"))
_mean("ai bots bot players policies", ("habits", "habits: {calm: {by: keeper, acts: [{do: swing}]}}"))
_mean("difficulty difficulties modes presets", ("variants", "variants: {hard: {crab.bite: 15}}"))
_mean("goals kpis kpi", ("targets", "targets: [{name: fair, measure: rate(win), want: 0.5..0.65}]"))
_mean("tests scenarios", ("playtests", "playtests: {first: {expect: [{at: 1, that: ships == 0}]}}"))
_mean("waves stages scenes", ("levels", "levels: {first: {present: {crab: 3}}}"))
_mean("loot drops drop_tables loot_tables", ("lots", "lots: {chest: {of: {coins: 3, nothing: 7}}}"))
_mean("buffs debuffs status effects_list conditions", ("statuses", "statuses: {dazed: {lasts: 2}}"))


# What a designer looks for that is no key of its own, and the pattern that shows how it is said.
_SHOWN_BY = {
    "boss": "boss bosses miniboss final_boss",
    "rage": "phase phases enrage enraged rage",
    "waves": "wave waves spawner spawn_rate",
    "aggro": "aggro threat hate taunt",
    "lives": "respawn extra_lives continues",
    "regeneration": "regen regeneration regenerate heal_over_time",
    "shield": "shield shields barrier",
    "dodge": "dodge_roll dodge_window iframes i_frames invulnerability invincible",
    "pickups": "pickup pickups collectible collectibles item items powerup powerups",
    "crits": "crits critical crit_chance critical_hit",
    "splash": "splash aoe area_damage explosion",
    "poison": "poison dot bleed burn damage_over_time",
    "ammunition": "ammo ammunition magazine clip",
    "combo": "combo combos streak multiplier",
    "extra_life": "extra_life bonus_life one_up",
    "shop": "shop store vendor upgrades upgrade currency",
    "ranks": "xp experience level_up rank ranks leveling",
    "drops": "pity guarantee drop_rate",
    "checkpoint": "checkpoint checkpoints save_point",
    "day_and_night": "day_night daytime night weather",
    "difficulty": "difficulty difficulties easy hard",
    "time_up": "time_limit timeout time_up countdown",
    "draw": "draw tie_game stalemate",
    "turns": "turn_order initiative",
    "two_players": "pvp versus two_players multiplayer",
}
_SHOWN = {word: pattern for pattern, words in _SHOWN_BY.items() for word in words.split()}
PATTERNS_SHOWN = frozenset(_SHOWN_BY)


def meant(word: str, known: Container[str]) -> str:
    """Return what is said of a word of the trade that is a known key by another name, or that a pattern shows."""
    called = word.lower().replace(" ", "_")
    shown = f"; 'mint-ledger new GAME --with {_SHOWN[called]}' shows how it is said" if called in _SHOWN else ""
    for key, line in _WORDS.get(called, ()):
        if key in known and key != word:
            return f"; here that is '{key}': {line}{shown}"
    return shown


# What a designer tries as a trigger, and the trigger that means it.
_TRIGGERS: dict[str, str] = {}


def _trigger(words: str, written: str) -> None:
    _TRIGGERS.update(dict.fromkeys(words.split(), written))


_trigger("at time on_time once moment", "{becomes: time >= 5}")
_trigger("threshold milestone reaches reached", "{every: 500, of: score}")
_trigger("begin on_start onstart init setup spawn_start game_start opening", "start")
_trigger("each interval tick period timer repeat per frequency update step", "{every: 2}")
_trigger("if when condition until on_true", "{becomes: health <= 0}")
_trigger("event signal message on trigger emit received", "{cue: landed}")
_trigger("death dies die dead killed kill destroyed on_death defeat defeated", "{gone: crab}")
_trigger("spawn spawned created on_spawn", "{appears: crab}")
_trigger("damaged damage on_hit attacked", "{hit: pincer}")
_trigger("collision collide touch overlap contact on_collision", "{meet: [crab, keeper]}")
_trigger("action ability cast use used", "{act: swing}")
_trigger("stage wave level_start room", "{level: gallery}")


def trigger_hint(word: str) -> str:
    """Return which trigger a word of the trade means, or nothing."""
    written = _TRIGGERS.get(str(word).lower())
    return f"; write {written}" if written is not None else ""
