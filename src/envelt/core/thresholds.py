"""Every threshold in one place, each with its reason."""

from __future__ import annotations

# --- kinds -------------------------------------------------------------------------------------------
ROWS_FOR_IDENTIFIER = 20  # fewer all-different rows happen by chance in any column
IDENTIFIER_DISTINCT_SHARE = 0.5  # more than half of all values different: names a case, seldom a property
WORDS_OF_TEXT = 3.0  # names and codes have one or two words, remarks have more
TEXT_DISTINCT_SHARE = 0.02  # remarks repeat, but a list of long level names has few of them in many rows
FEW_STEPS = 10  # fractions with so few values are steps of a scale
FEW_GRADES = 10  # scales of grades have 3 to 10 steps (0 to 10 has 11, and is a count as often)
FEW_CODES = 60  # more codes of one width than this are as likely amounts
ROWS_PER_STEP = 5  # a value that is a level recurs; with fewer rows each, few values only mean few rows
MANY_WHOLE = 100  # so many different whole numbers over a range above 1,000 are a quantity

NEARLY_CONSTANT = 0.99  # the rest is under 1 % of rows: too few to learn from in most tables

# --- the outcome -------------------------------------------------------------------------------------
LOPSIDED_NOTE = 1 / 3  # under 1 : 3, always saying the larger class is right 75 % of the time
LOPSIDED_CAUTION = 1 / 10  # under 1 : 10, right over 90 %: accuracy says next to nothing
CASES_PER_CANDIDATE = 10  # rows of the smallest class a candidate (Peduzzi et al. 1996, J Clin Epidemiol 49)

# --- held-out share ----------------------------------------------------------------------------------
FOLDS = 5
REPEATS = 5
BLOCKS = 50  # hash blocks a pass counts into; folds are groups of ten
BINS = 20
LEAST_STRENGTH = 0.5  # the weight of the base rate in a level never falls below half a row, so no rate is 0
WIDEN = 1.2  # held-out rows share training rows, so the plain standard error is too small
TOO_GOOD_CLASS = 0.5  # one column measured beforehand that removes half the uncertainty is rare
TOO_GOOD_NUMBER = 0.8  # R² on held-out rows; a quantity and its copy in another unit have 1
LITTLE = 0.001  # a share surely above this is worth a look; below it no picture shows the difference
SHIFT_OF_UNITS = 0.01  # a change of share that keeping units whole makes and that is worth naming

# --- one candidate -----------------------------------------------------------------------------------
RATE_BINS = 10  # deciles: enough to see a bend, and a tenth of the rows in each
FEW_ROWS = 10  # a rate of fewer rows has a 95 % interval wider than 0.5 at best
BEND_P = 1e-4  # over 40 candidates of noise this raises a finding in under 0.4 % of tables
NO_TREND_P = 0.01  # the rank test sees no trend worth speaking of
TREND_SHARE = 0.25  # a trend may be there, if it carries less than this part of what the bins show
Q_CARRIES = 0.05  # the false discovery rate at which a candidate is said to carry something
