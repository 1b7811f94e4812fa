"""How the columns of counts are called in the files that people bring."""

from __future__ import annotations

# Names that exports commonly give these columns, in several languages' spellings without accents.
COLUMN_NAMES = {
    "day": {"day", "date", "tag", "datum", "jour", "fecha", "dia", "dato", "data", "dt"},
    "first_day": set(),
    "variant": {"variant", "arm", "group", "version", "bucket", "cell", "variante", "gruppe", "groupe", "treatment", "variation"},
    "units": {
        "units", "visitors", "users", "sessions", "visits", "exposures", "exposed", "n", "total", "impressions", "count",
        "besucher", "visiteurs", "visitantes", "unique visitors", "sample",
    },
    "conversions": {
        "conversions", "converted", "successes", "orders", "bookings", "booked", "purchases", "goals", "signups", "clicks",
        "konversionen", "conversiones", "events", "x",
    },
    "total": {"total", "sum", "revenue", "amount", "value", "summe", "somme", "suma"},
    "squares": {"squares", "total of squares", "sum of squares", "total squares", "sumsq", "quadrate", "squared"},
    "numerator": {"numerator", "above", "zaehler", "zahler", "numerateur"},
    "denominator": {"denominator", "below", "nenner", "denominateur"},
    "numerator_squares": {"numerator squares", "squares of numerator", "numerator squared"},
    "denominator_squares": {"denominator squares", "squares of denominator", "denominator squared"},
    "cost": {"cost", "costs", "spend", "spent", "kosten", "cout", "coste", "budget"},
    "impressions": {"impressions", "views", "shown", "ansichten", "vues", "vistas"},
    "amount": {"amount", "amounts", "revenue", "value", "turnover", "sum", "umsatz", "betrag", "montant", "importe"},
    "currency": {"currency", "wahrung", "waehrung", "devise", "moneda", "valuta"},
    "before": {"before", "pre", "pre period", "vorher", "avant", "antes"},
    "before_squares": {"before squares", "squares of before", "pre squares"},
    "cross": {"cross", "cross product", "product", "products"},
    "cubes": {"cubes", "total of cubes", "sum of cubes", "cubed"},
    "numerator_cubes": {"numerator cubes"},
    "denominator_cubes": {"denominator cubes"},
    "before_cubes": {"before cubes"},
    "squares_cross": {"squares cross"},
    "cross_squares": {"cross squares"},
}  # fmt: skip
