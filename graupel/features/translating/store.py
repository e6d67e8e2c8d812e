"""What there is to translate, read by sets from what the areas tell of their words."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from graupel.core.wording import State
from graupel.db import Tx, like
from graupel.features.history import journal
from graupel.features.history.records import kind_of
from graupel.features.wording.originals import Original

_TRANSLATED = (State.OUTDATED, State.DONE)


@dataclass(frozen=True)
class Asked:
    """What of a kind is wanted: texts in a state (None: all), with words, of what buyers see now."""

    state: State | None = None
    search: str = ""
    only_live: bool = False


def _state(original: str, alias: str, state: State | None) -> str:
    """SQL: the text has this state; the questions are those of core.wording.state, in its order."""
    missing = f"({alias}.id IS NULL OR {alias}.value = '')"
    outdated = f"({alias}.source IS NOT NULL AND NOT (BINARY {alias}.source <=> BINARY {original}))"
    there = f"{original} <> ''"
    if state is State.MISSING:
        return f"({there} AND {missing})"
    if state is State.OUTDATED:
        return f"({there} AND NOT {missing} AND {outdated})"
    if state is State.DONE:
        return f"({there} AND NOT {missing} AND NOT {outdated})"
    return f"({there})"


def _joins(kind: Original) -> str:
    return " ".join(
        f"""LEFT JOIN own_value w{number} ON w{number}.kind = '{kind.kind}' AND w{number}.record_id = {kind.key}
            AND w{number}.destination = '' AND w{number}.lang = %(target)s AND w{number}.field = '{name}'"""
        for number, name in enumerate(kind.fields)
    )


def _where(kind: Original, asked: Asked, params: dict[str, Any]) -> str:
    columns = [field.column for field in kind.fields.values()]
    fits = " OR ".join(_state(column, f"w{number}", asked.state) for number, column in enumerate(columns))
    parts = [kind.where, f"({fits})"]
    if asked.state in (State.OUTDATED, State.DONE):  # only those that have any words in the language come into question
        parts.append(
            f"""{kind.key} IN (SELECT q.record_id FROM own_value q WHERE q.kind = '{kind.kind}' AND q.destination = ''
                AND q.lang = %(target)s)"""
        )
    if asked.only_live:
        parts.append(kind.live)
    if asked.search:
        params["typed"] = f"%{like(asked.search)}%"
        found = [f"{column} LIKE %(typed)s" for column in columns]
        found += [f"w{number}.value LIKE %(typed)s" for number in range(len(columns))]
        parts.append(f"({' OR '.join(found)})")
    return " AND ".join(parts)


def records(tx: Tx, kind: Original, asked: Asked, target: str, lang: str, after: int, limit: int | None) -> Any:
    """Records with any fitting text, in the order of their ids: "o_", "v_", "s_" and "n_" (version) of each field."""
    params: dict[str, Any] = {"target": target, "lang": lang, "after": after, "limit": limit}
    where = _where(kind, asked, params)
    columns = ", ".join(
        f"{field.column} AS o_{name}, w{number}.value AS v_{name}, w{number}.source AS s_{name}, "
        f"w{number}.version AS n_{name}"
        for number, (name, field) in enumerate(kind.fields.items())
    )
    return tx.stream(
        f"""SELECT {kind.key} AS id, {kind.title} AS title, {kind.link_key or kind.key} AS link_id, {columns}
            FROM {kind.table} {_joins(kind)} WHERE {where} AND {kind.key} > %(after)s ORDER BY {kind.key}
            {"LIMIT %(limit)s" if limit is not None else ""}""",
        params,
    )


def progress(tx: Tx, kind: Original, target: str, lang: str) -> dict[State, int]:
    """How many texts of a kind stand in each state.

    The texts are counted without their translations, and those that are translated beside them: what is missing is the
    rest, so that it costs one look at every original and one at every translation, however many fields there are.
    """
    columns = {name: field.column for name, field in kind.fields.items()}
    there = " + ".join(f"SUM({column} <> '')" for column in columns.values())
    cases = " ".join(f"WHEN '{name}' THEN {column}" for name, column in columns.items())
    original = f"(CASE said.field {cases} END COLLATE utf8mb4_bin)"  # columns have collations of their own
    texts = int(tx.value(f"SELECT COALESCE({there}, 0) FROM {kind.table} WHERE {kind.where}", {"lang": lang}) or 0)
    row = tx.one(
        f"""SELECT {", ".join(f"COALESCE(SUM({_state(original, 'said', s)}), 0) AS {s}" for s in _TRANSLATED)}
            FROM {kind.table} JOIN own_value said ON said.kind = '{kind.kind}' AND said.record_id = {kind.key}
              AND said.destination = '' AND said.lang = %(target)s AND said.field IN %(fields)s
            WHERE {kind.where}""",
        {"target": target, "lang": lang, "fields": list(columns)},
    )
    translated = {state: int((row or {})[str(state)]) for state in _TRANSLATED}
    return {State.MISSING: texts - sum(translated.values()), **translated}


def originals(tx: Tx, kind: Original, ids: Sequence[int], lang: str) -> dict[int, dict[str, str]]:
    """The words in the default language of some records, by id and field."""
    if not ids:
        return {}
    columns = ", ".join(f"{field.column} AS {name}" for name, field in kind.fields.items())
    rows = tx.all(
        f"SELECT {kind.key} AS id, {columns} FROM {kind.table} WHERE {kind.where} AND {kind.key} IN %(ids)s",
        {"ids": list(ids), "lang": lang},
    )
    return {row["id"]: {name: row[name] or "" for name in kind.fields} for row in rows}


# --- many at once --------------------------------------------------------------------------------------------

_INCOMING = """incoming n LEFT JOIN own_value ow ON ow.kind = n.kind AND ow.record_id = n.record_id
               AND ow.destination = '' AND ow.lang = %(target)s AND ow.field = n.field"""


def make_incoming(tx: Tx) -> None:
    """An empty table for texts that come in."""
    tx.run("DROP TEMPORARY TABLE IF EXISTS incoming")
    tx.run(
        """CREATE TEMPORARY TABLE incoming (kind VARCHAR(20) CHARACTER SET ascii NOT NULL, record_id INT UNSIGNED,
             field VARCHAR(24) CHARACTER SET ascii NOT NULL, value MEDIUMTEXT, source MEDIUMTEXT,
             PRIMARY KEY (kind, record_id, field)) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin"""
    )


def apply_incoming(tx: Tx, change_set_id: int, target: str) -> int:
    """Journal and write the texts in ``incoming``, by sets; returns how many."""
    params = {"set": change_set_id, "target": target}
    kind = kind_of("own_value")
    words = ("value", "source")
    changed = journal.write(
        tx,
        change_set_id,
        kind,
        _INCOMING.replace("LEFT JOIN", "JOIN"),
        "NOT (BINARY ow.value <=> BINARY n.value AND BINARY ow.source <=> BINARY n.source)",
        params,
        was={name: f"ow.{name}" for name in words},
        became={name: f"n.{name}" for name in words},
    )
    tx.run(
        f"""UPDATE {_INCOMING.replace("LEFT JOIN", "JOIN")}
            JOIN change_row r ON r.change_set_id = %(set)s AND r.record_kind = 'own_value' AND r.record_id = ow.id
            SET ow.value = n.value, ow.source = n.source, ow.version = ow.version + 1""",
        params,
    )
    made = tx.run(
        f"""INSERT INTO own_value (kind, record_id, destination, lang, field, value, source)
            SELECT n.kind, n.record_id, '', %(target)s, n.field, n.value, n.source
            FROM {_INCOMING} WHERE ow.id IS NULL""",
        params,
    )
    journal.write_made(
        tx,
        change_set_id,
        kind,
        f"""{_INCOMING.replace("LEFT JOIN", "JOIN")} LEFT JOIN change_row known
            ON known.record_kind = 'own_value' AND known.record_id = ow.id""",
        "known.record_id IS NULL AND ow.version = 1",
        params,
    )
    return changed + made
