"""Writing many variants of a product at once."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.declarations.products import CHOICES
from graupel.core.variants import Combination
from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.service import Recorder
from graupel.features.variants.rows import VariantTextRow


def change(tx: Tx, recorder: Recorder, ids: Sequence[int], values: Mapping[str, Any]) -> int:
    """Write and journal the same values in many variants; returns how many differed."""
    if not ids or not values:
        return 0
    kind = records.kind_of("variant")
    fields = kind.fields
    params = {f"new_{name}": value for name, value in values.items()}
    params["ids"] = list(ids)
    differs = {name: f"NOT ({fields[name].sql} <=> %(new_{name})s)" for name in values}
    where = f"v.id IN %(ids)s AND ({' OR '.join(differs.values())})"
    count = int(tx.value(f"SELECT COUNT(*) FROM variant v WHERE {where}", params))
    journal.write(
        tx,
        recorder.change_set_id,
        kind,
        "variant v",
        where,
        params,
        was={name: fields[name].sql for name in values},
        became={name: f"%(new_{name})s" for name in values},
        only=differs,
    )
    sets = ", ".join(f"{fields[name].sql} = %(new_{name})s" for name in values)
    tx.run(f"UPDATE variant v SET {sets}, v.version = v.version + 1 WHERE {where}", params)
    return count


def change_each(tx: Tx, recorder: Recorder, name: str, values: Mapping[int, Any]) -> int:
    """Write and journal one field that differs from variant to variant (id -> value); returns how many differed."""
    kind = records.kind_of("variant")
    field = kind.fields[name]
    tx.run("DROP TEMPORARY TABLE IF EXISTS new_value")
    tx.run("CREATE TEMPORARY TABLE new_value (id INT UNSIGNED PRIMARY KEY, value VARCHAR(255)) CHARSET utf8mb4")
    tx.many("INSERT INTO new_value VALUES (%s, %s)", [(key, value) for key, value in values.items()])
    where = f"NOT (CONVERT({field.sql} USING utf8mb4) <=> n.value)"
    count = journal.write(
        tx,
        recorder.change_set_id,
        kind,
        "new_value n JOIN variant v ON v.id = n.id",
        where,
        {},
        was={name: field.sql},
        became={name: "n.value"},
    )
    tx.run(
        f"""UPDATE new_value n JOIN variant v ON v.id = n.id
            SET {field.sql} = n.value, v.version = v.version + 1 WHERE {where}"""
    )
    tx.run("DROP TEMPORARY TABLE new_value")
    return count


def move(tx: Tx, recorder: Recorder, combinations: Mapping[int, Combination]) -> None:
    """Give variants (by id) other combinations, and journal it."""
    if not combinations:
        return
    tx.run("DROP TEMPORARY TABLE IF EXISTS moved_variant")
    columns = ", ".join(f"{name} INT UNSIGNED NULL" for name in CHOICES)
    tx.run(f"CREATE TEMPORARY TABLE moved_variant (id INT UNSIGNED PRIMARY KEY, {columns})")
    padding = [None] * len(CHOICES)
    tx.many(
        "INSERT INTO moved_variant VALUES (%s, %s, %s, %s, %s, %s)",
        [(key, *[*combination, *padding][: len(CHOICES)]) for key, combination in combinations.items()],
    )
    journal.write(
        tx,
        recorder.change_set_id,
        records.kind_of("variant"),
        "moved_variant m JOIN variant v ON v.id = m.id",
        "TRUE",
        {},
        was={name: f"v.{name}" for name in CHOICES},
        became={name: f"m.{name}" for name in CHOICES},
        only={name: f"NOT (v.{name} <=> m.{name})" for name in CHOICES},
    )
    sets = ", ".join(f"v.{name} = m.{name}" for name in CHOICES)
    tx.run(f"UPDATE moved_variant m JOIN variant v ON v.id = m.id SET {sets}, v.version = v.version + 1")
    tx.run("DROP TEMPORARY TABLE moved_variant")


def products_of(tx: Tx, ids: Sequence[int]) -> dict[int, int]:
    """The products of variants, by the variants' ids."""
    if not ids:
        return {}
    rows = tx.all("SELECT id, product_id FROM variant WHERE id IN %s", [list(ids)])
    return {row["id"]: row["product_id"] for row in rows}


def journal_made(tx: Tx, recorder: Recorder, ids: Sequence[int]) -> None:
    """Journal variants that were just inserted."""
    kind = records.kind_of("variant")
    journal.write_made(tx, recorder.change_set_id, kind, kind.table, "v.id IN %(ids)s", {"ids": list(ids)})


def remove(tx: Tx, recorder: Recorder, ids: Sequence[int]) -> None:
    """Journal and delete variants with their texts, and what says that pictures are theirs."""
    if not ids:
        return
    for name, field in (("variant_text", "variant_id"), ("picture_for", "variant_id"), ("variant", "id")):
        kind = records.kind_of(name)
        where = f"{kind.record.alias}.{field} IN %(ids)s"
        journal.remove(tx, recorder.change_set_id, kind, kind.table, where, {"ids": list(ids)})


def texts(tx: Tx, ids: Sequence[int], lang: str) -> dict[int, VariantTextRow]:
    """The variants' own texts, by their id."""
    if not ids:
        return {}
    rows = tx.rows(VariantTextRow, "SELECT * FROM variant_text WHERE variant_id IN %s AND lang = %s", [list(ids), lang])
    return {row["variant_id"]: row for row in rows}


def insert_text(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        """INSERT INTO variant_text (variant_id, lang, name, short_text)
           VALUES (%(variant_id)s, %(lang)s, %(name)s, %(short_text)s)""",
        values,
    )


def update_text(tx: Tx, row_id: int, values: Mapping[str, Any]) -> None:
    tx.run(
        "UPDATE variant_text SET name = %(name)s, short_text = %(short_text)s, version = version + 1 WHERE id = %(id)s",
        {**values, "id": row_id},
    )


def delete_text(tx: Tx, row_id: int) -> None:
    tx.run("DELETE FROM variant_text WHERE id = %s", [row_id])
