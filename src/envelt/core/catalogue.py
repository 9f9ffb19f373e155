"""Every finding there is: its weights, the steps that make it, and when, with the thresholds it is made by.

``docs/findings.md`` is the page that `catalogue_page` gives; a test holds them together, and a finding that is not
listed here fails every test that makes it.
"""

from __future__ import annotations

import re
from typing import NamedTuple

from . import thresholds as T


class Entry(NamedTuple):
    """One kind of finding.

    Parameters
    ----------
    weights
        It may have, the usual one first.
    steps
        That make it.
    when
        In words, with its thresholds.
    """

    weights: str
    steps: str
    when: str


# fmt: off
FINDINGS: dict[str, Entry] = {
    "coded-numbers": Entry("caution, note", "inventory",
        "a column written in numbers is read as names (a note: as grades), or could be; says how to settle it"),
    "borderline-kind": Entry("note", "inventory", "the evidence leaves two kinds open"),
    "kept-as-text": Entry("caution", "inventory",
        "numbers of two units, or at the end of what floats hold: no mean can be taken"),
    "read-from-text": Entry("note, caution", "inventory",
        "numbers or dates kept as text, and how they were read; caution where day and month may be swapped"),
    "marks-for-missing": Entry("note", "inventory",
        "a mark such as `.` among numbers or dates, or `NA` among texts, was taken as missing"),
    "mixed-types": Entry("caution", "inventory",
        f"a few texts among numbers ({T.FEW_TEXTS:.0%} of the rows at most) were taken as missing"),
    "nested-values": Entry("caution", "inventory", "a column of lists, structs or complex numbers is set aside"),
    "unlike-files": Entry("caution", "inventory",
        "of several files one writes a column otherwise than another: each is read by its own form, or all is text"),
    "constant-column": Entry("note", "inventory", "a column has one value"),
    "nearly-constant": Entry("note", "inventory", f"one value holds {T.NEARLY_CONSTANT:.0%} of the rows"),
    "mostly-missing": Entry("caution, note", "inventory",
        f"over {T.MOSTLY_MISSING:.0%} of the rows are missing (of remarks a note), or all of them"),
    "swapped-outliers": Entry("caution", "inventory",
        f"in one row two numbers both lie over {T.SWAPPED_FAR:g} quartile distances from their medians, and each "
        "would be ordinary in the place of the other"),
    "redundancy-of-flags": Entry("note, caution", "inventory",
        f"{T.FEWEST_FLAGS} or more flags of which just one is set in every row (a caution), or never two, where chance "
        f"would set every two together in {T.FLAGS_EXPECTED} rows or more; or two flags, where it would in "
        f"{T.TWO_FLAGS_EXPECTED}"),
    "redundancy-of-levels": Entry("note", "inventory",
        f"at one level of a column another column has one level, where {T.IMPLIED_EXPECTED:g} rows or more would have "
        f"another one as elsewhere, and at most {T.IMPLIED_SLIPS:.0%} of these do"),
    "missing-costs-rows": Entry("note", "inventory",
        f"{T.MISSING_COSTS:.0%} of the rows or more lack a value in some column that is not mostly missing"),
    "empty-rows": Entry("note", "inventory", "rows that have no value in any column"),
    "missing-together": Entry("note", "inventory",
        f"columns go missing on (nearly) the same rows; or {T.NESTED_GAPS} or more one after another, each "
        "wherever the one before is missing"),
    "missing-follows-outcome": Entry("caution", "inventory, contingency",
        f"a column goes missing more in one class ({100 * T.LEAST_POINTS:g} points or more), or with higher "
        f"outcomes; of over {T.MOST_GAPS_APART} such columns one finding; not where another column explains the gaps"),
    "missing-follows-column": Entry("caution, note", "inventory",
        f"a column goes missing at one level, or one end, of another column in {T.GAP_APART:.0%} of the rows "
        "more than elsewhere; caution where it cannot be there at all (pregnancies of men)"),
    "counted-table": Entry("caution, note", "inventory",
        "every combination of the categories stands once beside one whole number: is the table counted? "
        "(caution where its name says so)"),
    "known-later": Entry("caution", "inventory",
        f"a column is there, or not 0, where the outcome came ({T.LATER_PURE:.0%} on one side, correlation "
        f"{T.LATER_PHI:g} or more); all rows at its end lack the outcome, or have it, or all below; it numbers "
        "the cases in the outcome's order; the first part of an identifier tells the classes; by its name it is a span "
        "beside what ended it, or the reverse, or beside both; or by its name (height_6m, girth97, raw_score, "
        "post_test beside pretest, rate3 beside rate1) it was taken after it, with it, or before it was adjusted, and "
        f"goes with it at {T.SAME_TIME:g} or more"),
    "by-design": Entry("note, caution", "inventory",
        "every combination of some columns occurs equally often, more evenly than chance would have it, or the levels "
        "of one, over all rows or in each level of another; caution where the classes of the outcome have the same "
        "shares at each value of a column (cases were picked to match), or where each occurs once but a few that occur "
        "twice, and as many lack: slips"),
    "shared-values": Entry("caution", "inventory",
        "rows come in groups that share the values of several numbers, and no column names the groups"),
    "unnamed-unit": Entry("caution", "inventory",
        f"neighbouring rows share several columns, with at most {T.BLOCK_SHARE:.0%} of the changes that another order "
        "would have, and these change together: blocks of one case, that no column names"),
    "duplicate-rows": Entry("caution, note", "inventory",
        "rows repeat an earlier row in every column, though something in them is each row's own, or hardly any others "
        f"agree in all columns but one, of {T.FEW_COLUMNS} columns but two (then a note under {T.MANY_REPEATED:.0%} of "
        "the rows, or where combinations were planned to occur several times); not where rows that share what is "
        "nearly their own agree in the rest as any two rows do"),
    "duplicate-identifier": Entry("caution", "inventory",
        "a few values of an identifier are given twice, duplicate rows aside"),
    "likely-unit": Entry("caution", "inventory",
        "several rows share an identifier, or a number or name that by its name says who they are, and most of "
        "what else they hold; or differ in time only (so do levels in even "
        "numbers); or are as many of each, or sets of a few that stand together, where it names persons or the like; "
        "or whole numbers stand in a block each and carry a number of their own"),
    "rests-on-rows": Entry("note", "inventory, against, contingency, relations",
        "what a step would say of relations if rows were cases, and not if the likely unit were declared, is left out"),
    "same-column": Entry("caution, stop", "inventory",
        "two columns say the same: exactly, in another unit of measure, under other names, or value by value, each in "
        f"{T.ROWS_A_VALUE} rows or more on average; or they are equal in {T.NEARLY_EQUAL:.0%} of the rows or more (a "
        f"stop where one is the outcome); of over {T.MOST_GAPS_APART} pairs one finding"),
    "mixed-units": Entry("caution", "inventory",
        f"{T.CLOCK_TIMES} different whole numbers or more, up to 2,400, whose last two digits are never above 59: "
        "hours and minutes in one number"),
    "logarithm-of-units": Entry("caution, note", "inventory",
        "a number is the logarithm, or the root, of numbers that are all whole (a note of the outcome, and where its "
        "name says so)"),
    "sentinel-value": Entry("caution, note", "inventory",
        "a value such as −99, 1900-01-01, or 0 where no other lies near, stands apart: a code for missing (a note "
        "where under three rows hold it); or a level says that nothing is known"),
    "out-of-range": Entry("caution", "inventory", "values outside the range a person declared"),
    "impossible-value": Entry("caution, note", "inventory",
        "a few values outside what the column can be by its name: a negative count, a share over 100 % (a note where "
        "the others run on to them without a gap: another unit?); or a few far before where all others begin at once; "
        f"a note of one value {T.SCALE_GAP} grades or more beyond a scale, of shares, by their name, above 1, and "
        "of rows between the steps of a scale (a caution where they are the mean of the others)"),
    "made-from-date": Entry("note", "inventory",
        "each value of a column stands for one part of a date, and each part for one value: its year, month, weekday; "
        f"in {1 - T.DATE_PART_SLIPS:.1%} of the rows or more"),
    "date-apart": Entry("caution", "inventory",
        "a few dates lie far from all others, with a gap wider than the middle half: a mistyped year"),
    "dates-out-of-order": Entry("caution", "inventory",
        "one date nearly always comes after another, but not in a few rows"),
    "level-spelling": Entry("caution", "inventory, contingency",
        "levels that differ by case, space, or one letter where one is rare"),
    "many-levels": Entry("note", "inventory", f"over {T.MANY_LEVELS} levels"),
    "rare-levels": Entry("note", "inventory",
        f"levels, or whole numbers of which there are few, with under {T.RARE_ROWS} rows and {T.RARE_SHARE:.0%}; of "
        "all columns one finding"),
    "outcome-missing": Entry("note, caution", "balance",
        f"rows have no outcome; they are set aside and counted (a caution: {T.MUCH_UNKNOWN:.0%} of the rows, or more "
        f"of them, by {200 * T.LEAST_POINTS:g} points, at one level of a candidate than at another)"),
    "outcome-zeros": Entry("caution", "balance",
        f"{T.ZERO_OUTCOME:.0%} or more of the rows have an outcome of 0 and the others spread: two questions"),
    "outcome-rhythm": Entry("note", "balance",
        f"the outcome differs between weekdays, months or hours of a date, and likewise ({T.ROUND_AGAIN:g} or more) in "
        "the earlier and the later half of the time; no column holds that part of the date"),
    "drift-along-rows": Entry("note, caution", "balance",
        "the rows are sorted by the outcome (of numbers also where all rows of the commonest value stand first or "
        "last), or its rate or mean differs between stretches of the file as over dates; "
        f"caution where neighbouring rows correlate at {T.SERIES:g} or more"),
    "lopsided-outcome": Entry("note, caution", "balance",
        f"the smallest class has under {T.LOPSIDED_NOTE:.0%} (a caution: {T.LOPSIDED_CAUTION:.0%}) of the "
        "largest's rows"),
    "small-class": Entry("note, caution", "balance",
        f"the smallest class has under {T.CASES_PER_CANDIDATE} rows a candidate; a caution under {T.FEW_CASES} rows"),
    "round-number-spikes": Entry("caution, note", "distribution",
        f"{T.SPIKE_SHARE:.0%} of the rows more than their surroundings lead to expect lie at multiples of a "
        f"round number, wide enough to see ({T.STEP_SHARE:g} of a deviation)"),
    "bin-of-several-heaps": Entry("note", "distribution",
        f"a bin of a log scale holds several values of {T.SPIKE_SHARE / 5:.0%} of the rows or more each, which are "
        "most of it, and the bins beside it fewer"),
    "excess-zeros": Entry("note", "distribution",
        "far more rows are exactly 0 than the values beside it lead to expect"),
    "heaping-at-one-value": Entry("caution", "distribution",
        f"{T.LONE_SHARE:.0%} of the rows or more have one value inside the range, {T.LONE_RATIO} times what the values "
        "beside it lead to expect, and no other is a quarter as frequent"),
    "values-at-bound": Entry("caution, note", "distribution",
        "rows heap at the lowest or highest of many values, more than at any other: the instrument stops there; a note "
        f"where both ends of a scale hold {T.BOTH_ENDS_SHARE:.0%} of the rows or more, and twice any value between"),
    "top-value": Entry("note", "distribution",
        "the largest whole number heaps where the values before it thin out: “that, or more”"),
    "two-peaks": Entry("caution", "distribution",
        f"the dip test finds more than one peak (p below {T.DIP_P:g}), {T.PEAKS_APART:g} deviation apart, with a "
        f"valley under {T.VALLEY:g} of the lower one; ties are spread over their step; with the column whose levels "
        f"tell them apart, where there is one; or values lie in two parts, {T.PARTS_SHARE:.0%} of the rows or more in "
        f"each, with nothing between for {T.PARTS_APART:g} of their own deviations"),
    "bins-change-story": Entry("note", "distribution",
        "peaks come and go with the width of the bins, and no heaping, few values or ties explain it"),
    "gross-outliers": Entry("caution", "distribution",
        f"values over {T.FAR_IQRS:g} interquartile ranges from the middle half, on the log scale too where all "
        "are above zero"),
    "outliers-apart": Entry("note, caution", "distribution",
        f"{T.APART_MOST} values at most lie {T.APART_GAP:g} interquartile ranges from the next and {T.APART_IQRS:g} "
        "beyond the middle half, of a number without a long tail, and of its logarithm where it is positive; caution "
        f"where nothing lies in {T.APART_ALONE:.0%} of the range"),
    "many-outliers": Entry("note", "distribution", "more values beyond Tukey's fences than a normal distribution has"),
    "equal-quartiles": Entry("note", "distribution",
        "half of the rows are one value, so that no value can be called an outlier"),
    "long-tail": Entry("note", "distribution",
        f"skewness beyond ±{T.TAIL_SKEWNESS:g}; says which side, and the transform that helps"),
    "centre-disagrees": Entry("note", "distribution", "mean and median lean one way, the skewness the other"),
    "few-values": Entry("note", "distribution",
        f"a number with at most {T.FEW_DISTINCT} different values: really levels"),
    "recorded-resolution": Entry("note", "distribution",
        f"values recorded in steps wide enough to show ({T.STEP_SHARE:g} of a deviation)"),
    "few-rows": Entry("caution", "distribution, against", f"a group (or class) has under {T.FEW_ROWS} values"),
    "spread-differs": Entry("note", "distribution, against",
        f"groups differ in spread {T.SPREAD_RATIO:g} times or more (Brown–Forsythe), and less in their centres"),
    "significant-but-tiny": Entry("note", "distribution, against",
        f"two means surely differ, by under {T.TINY_G:g} of a deviation, in {T.TINY_ROWS:,} rows or more"),
    "means-differ-rows-overlap": Entry("note", "distribution, against",
        f"two means surely differ while {T.SAME_OVERLAP:.0%} or more of the two densities coincide"),
    "intervals-mislead": Entry("note", "distribution, against",
        "asked for intervals: two of them overlap though the means differ, or the reverse"),
    "bend-without-trend": Entry("caution", "against",
        "the event's rate, or the mean, differs strongly along a number, without a trend, and one bend explains "
        "most of it"),
    "small-expected-counts": Entry("note", "against, contingency",
        "chi-square's usual p is in doubt; another is used"),
    "small-levels": Entry("caution", "against, contingency",
        f"the most extreme rates are those of levels with under {T.FEW_ROWS} rows"),
    "turns-round": Entry("caution, note", "against, contingency, relations",
        f"the outcome goes one way along a column over all rows, and surely the other way (by {T.TURN_SURE:g} standard "
        f"errors, of few columns by what chance reaches in {T.TURN_BY_CHANCE:.0%} of tables) within "
        f"{T.TURN_AGREE:.0%} of the levels of a third, by {100 * T.TURN_POINTS:g} points ({T.LEAST_SD:g} of a "
        "deviation) or more both ways; or a correlation goes the other way when cases of several rows, declared or "
        "likely, are compared with themselves; between candidates a note"),
    "turns-between-groups": Entry("note", "against, contingency",
        f"the outcome surely rises along a column where a third has one value and falls where it has another, each by "
        f"twice the least that matters and {T.OPPOSITE_SURE:g} standard errors or more, of many columns by more"),
    "only-together": Entry("note", "against, contingency",
        "the outcome goes along a column chiefly in one level of a third: there as surely as all pairs of columns ask, "
        f"by {T.WITHIN_LARGE} times the least that matters, and at most {T.WITHIN_LITTLE:.0%} of it elsewhere"),
    "vanishes-within": Entry("caution, note", "against, contingency, relations",
        f"with `by`: a difference over all rows, clear of nothing, of which at most {T.VANISH_LEFT:.0%} is left "
        "within the groups, where it is not clear or too small to matter, and the change is clear of chance; "
        f"between numbers a correlation of {T.WITHIN_LEAST:g} or more that falls to {T.WITHIN_LEFT:.0%}, and "
        f"under {T.WITHIN_LEAST:g}, within the levels of a third column; of all candidates (a note) a large difference "
        f"of which at most {T.WITHIN_LITTLE:.0%} is left within the levels of another; or of a correlation when cases "
        "of several rows are compared with themselves. Where neither column is the outcome, a note"),
    "groups-disagree": Entry("note", "against, contingency",
        "with `by`: the groups differ so much that no pooled number holds for all of them"),
    "counts-mislead": Entry("note", "contingency",
        "the level with most cases is surely not the one with the highest rate"),
    "step-not-trend": Entry("note", "contingency, against",
        "along an ordered column, or a number, the rate or mean jumps once instead of rising step by step"),
    "step-to-none": Entry("note", "against",
        f"beyond a point of a number, or at a level, no row has the event, or every row, where {T.NONE_EXPECTED:g} or "
        "more would be otherwise (over what units make of it), or at a level none is of some class; not where that "
        "parts nearly all rows"),
    "empty-cell": Entry("note", "contingency",
        f"a combination has no row where {T.EMPTY_EXPECTED:g} or more are expected"),
    "truncated-at-bound": Entry("note", "balance",
        "an outcome counts, is never 0, and 1 is its most frequent value "
        f"({T.FROM_ONE_SHARE:.0%} of the rows or more)"),
    "bounded-by-total": Entry("caution", "balance",
        "an outcome counts and is never above another number, which it reaches in "
        f"{T.OUT_OF_REACHED:.0%} of the rows or more: so many of so many"),
    "candidates-drift": Entry("note", "balance",
        f"candidates are not the same over the first column of times: means {T.SHIFT_SD:g} of a deviation apart, or a "
        f"level's share {100 * T.SHIFT_SHARE:g} points; of all one finding"),
    "outcome-drift": Entry("caution", "balance",
        f"the outcome's rate ({100 * T.LEAST_POINTS:g} points or more), or mean ({T.LEAST_SD:g} of a deviation), "
        "differs between units of the calendar, or years; names the extremes"),
    "too-good-to-be-true": Entry("stop", "rank",
        f"a candidate alone all but repeats the outcome (share over {T.TOO_GOOD_CLASS:g}, area over "
        f"{T.TOO_GOOD_AUC:g}; of numbers a squared rank correlation over {T.TOO_GOOD_NUMBER:g}), or is strong "
        "and by its name or its gaps written down later"),
    "strong-candidate": Entry("note", "rank",
        f"a candidate alone removes over {T.STRONG_CLASS:.0%} of the uncertainty ({T.STRONG_NUMBER:.0%} for a "
        f"numeric outcome, or {T.STRONG_RANKS:.0%} between ranks): check that it is known before"),
    "units-kept-whole": Entry("note", "rank", "a unit is declared; says what keeping it whole changed"),
    "ordered-in-time": Entry("caution", "rank",
        "rows follow a time, and neighbours in it agree on the outcome: random folds flatter; `time=` makes "
        "folds of stretches"),
    "times-kept-apart": Entry("note", "rank",
        "with `time=`: folds are stretches of time, and which shares that moved"),
    "candidate-failed": Entry("stop", "against, rank, report",
        "a candidate could not be looked at, for a fault of Envelt's; the others stand"),
    "say-nearly-the-same": Entry("note, caution", "relations",
        f"columns of which every two go together at {T.NEARLY_SAME:g} or more (a caution from {T.ALL_BUT_SAME:g}), and "
        "each tells the other; the one to keep, and why"),
    "made-up-of-others": Entry("caution, stop, note", "relations, inventory",
        "a number follows exactly from others: a sum, a difference or a total; a ratio, a product or a change in "
        "percent of two; another number in another scale (a logarithm, a root, a square), in the row before, its "
        "change since, or its distance from a point; or levels from another "
        "column: a number that was cut, levels that were joined, one value set apart; with the rows that contradict "
        "(levels: then a note); a stop where the outcome is among them"),
    "curved-relation": Entry("note, caution", "relations, pairwise, against",
        f"two columns go together along a curve that explains {T.CURVE_GAIN:.0%} more of the variance than a straight "
        f"line; with the outcome {T.SHAPE_GAIN:.1%} and {T.SHAPE_OF_BETWEEN:.0%} of the differences between bins (a "
        f"caution: {T.CURVE_LOUD:.0%} of a numeric outcome's variance)"),
    "few-rows-correlate": Entry("caution, note", "relations, pairwise",
        f"without {T.FEW_CARRY_MOST} rows at most a correlation of {T.FEW_CARRY_LEAST:g} or more halves, or turns; or "
        "without rows, up to a sixth of them, that lie beyond a gap as wide as all others reach (a note where there "
        "is an outcome and neither column is it)"),
    "only-within": Entry("caution, note", "against, contingency, relations",
        f"the reverse: a difference, or a correlation of {T.WITHIN_LEAST:g} or more, within groups, of which "
        f"over all rows at most {T.VANISH_LEFT:.0%} (of a correlation {T.WITHIN_LEFT:.0%}) shows, with p under "
        f"{T.ONLY_P:g}; of all candidates a note"),
    "equal-summaries": Entry("caution", "relations, pairwise, distribution, against",
        "columns whose mean, deviation (and correlation with a numeric outcome) agree to two digits, and whose "
        f"shapes do not; with `by`: {T.ALIKE_GROUPS} or more groups closer in both than chance makes them"),
    "together-as-ratio": Entry("note", "against",
        f"two amounts that grow together (their logarithms at {T.RATIO_TOGETHER:g} or more), of which the one for "
        f"each of the other goes with the outcome at {T.RATIO_GAINS:g} more than the better alone, surely so"),
    "outcome-in-proportion": Entry("caution, note", "against",
        f"outcome and candidate are amounts of many sizes ({T.SIZE_SIZES:g} times from the 5th to the 95th "
        f"percentile) whose logarithms correlate at {T.SIZE_TOGETHER:g} or more, along a slope of {T.SIZE_SLOPE[0]:g} "
        f"to {T.SIZE_SLOPE[1]:g}: a rate may be what is asked (a caution where both are whole numbers)"),
    "more-together": Entry("note", "relations",
        "two candidates say surely more about the outcome together than the sum of both alone"),
    "never-normal": Entry("note", "transforms",
        f"no transform makes a number normal: over {T.SPIKED:.0%} of its rows share one value "
        f"({T.OVER_THE_NEXT:g} times the next most frequent), over {T.EXCESS_ZEROS:.0%} are 0 beside a "
        "continuous rest, or it has two peaks"),
    "straighter-with": Entry("note", "transforms",
        f"a straight line in a transform says at least {T.STRAIGHTER:.0%} more of the outcome on rows held out "
        "than in the number as it is"),
    "classes-separate": Entry("note", "embed",
        f"classes whose rows have mostly neighbours of their own, {T.APART:.0%} of the way from chance to all"),
    "no-separation": Entry("note", "embed",
        "the neighbours of a row are of its class about as often as chance would have it"),
    "rows-among-others": Entry("note", "embed",
        "rows of a class that keeps to itself whose neighbours are mostly of one other class: slips, or cases "
        "of their own"),
    "map-misleads": Entry("caution", "embed",
        f"under {T.RECALLED:.0%} of the nearest rows kept, or {T.RECALLED_OF_DOUBTFUL:.0%} where trustworthiness "
        f"is under {T.TRUSTED:g}: no map to read row by row"),
    "pieces-by-column": Entry("note", "embed", "the map falls into pieces, and one column says which a row lies in"),
    "class-in-pieces": Entry("note", "embed",
        f"a class that keeps to itself lies in several pieces of the map, each with over {T.PIECE_OF_CLASS:.0%} "
        "of it"),
    "outcome-among-inputs": Entry("caution", "embed", "the column that colours the map is among those it is made of"),
    "identifier-among-inputs": Entry("caution", "embed", "an identifier is among the columns the map is made of"),
    "unseen-levels": Entry("caution", "prepare",
        "rows have levels that the training rows do not have, and what they were taken as"),
    "outside-training": Entry("caution", "prepare",
        "columns with values far beyond those of the training rows, or in more rows beyond them than by chance"),
    "drifted": Entry("caution", "prepare",
        "columns of which at least a tenth of the rows moved: the largest difference of cumulative shares or the total "
        "variation of levels, or another share missing"),
    "touches-more": Entry("caution", "prepare",
        "an operation fills or clips far more rows of a column than of the training rows"),
    "outside-transform": Entry("caution", "prepare",
        "values that a fitted transform cannot be taken of, and what they were taken as"),
    "unreadable-values": Entry("caution", "prepare",
        "texts that cannot be read as the numbers or dates that must stand there: taken as missing"),
    "another-type": Entry("note", "prepare",
        "a column came as another type than in the training rows, and was read as that"),
    "columns-gone": Entry("caution", "prepare",
        "columns of the training rows are not there, and are declared to count as missing"),
    "columns-unknown": Entry("note", "prepare", "columns that the training rows do not have are left out"),
}
# fmt: on

FIRST = (
    "candidate-failed", "too-good-to-be-true", "known-later", "counted-table", "likely-unit", "shared-values",
    "ordered-in-time", "duplicate-rows", "turns-round", "outcome-in-proportion", "vanishes-within",
    "missing-follows-outcome", "same-column", "sentinel-value", "duplicate-identifier", "impossible-value",
    "out-of-range", "mixed-units", "mixed-types", "coded-numbers", "missing-follows-column", "level-spelling",
    "lopsided-outcome", "outcome-missing", "bend-without-trend", "two-peaks", "gross-outliers",
)  # fmt: skip
"""Of one weight, what would change most comes first: what a row is, what is known too soon, what turns round."""


def _spaced(text: str) -> str:
    """Write shares with a space before the sign."""
    return re.sub(r"(?<=\d)%", " %", text)


def catalogue_page() -> str:
    """Return the catalogue as Markdown."""
    rows = [f"| `{code}` | {e.weights} | {e.steps} | {_spaced(e.when)} |" for code, e in FINDINGS.items()]
    head = (
        "# Findings",
        "Each finding has a code, a weight, the columns, a sentence, the evidence and advice. Every threshold stands "
        "with its reason in `src/envelt/core/thresholds.py`; this page is written from `src/envelt/core/catalogue.py`.",
        "| code | weight | step | when |\n|---|---|---|---|",
    )
    return "\n\n".join(head) + "\n" + "\n".join(rows) + "\n"
