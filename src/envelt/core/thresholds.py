"""Every threshold in one place, each with its reason."""

from __future__ import annotations

# --- kinds -------------------------------------------------------------------------------------------
ROWS_FOR_IDENTIFIER = 20  # fewer all-different rows happen by chance in any column
IDENTIFIER_DISTINCT_SHARE = 0.5  # more than half of all values different: names a case, seldom a property
WORDS_OF_TEXT = 3.0  # names and codes have one or two words, remarks have more
TEXT_DISTINCT_SHARE = 0.02  # remarks repeat, but a list of long level names has few of them in many rows
MOST_ROWS_A_CASE = 50  # a case seen more often than this may be a group
COUNTABLE_RANGE = 1 << 16  # whole numbers in a smaller range are counted, not sorted
FEW_STEPS = 10  # fractions with so few values are steps of a scale
FEW_GRADES = 10  # scales of grades have 3 to 10 steps (0 to 10 has 11, and is a count as often)
FEW_UNNAMED_CODES = 20  # of one width with uneven gaps, and no word in the name: more are scores
UNEVEN_TIMES = 5.0  # rows at the commonest of many times over the middle one: how long things took, and no calendar
CLOCK_TIMES = 60  # different values, none with 60 to 99 in its last digits: by chance under 1 in 10^13
FEW_CODES = 60  # more codes of one width than this are as likely amounts
ROWS_PER_STEP = 5  # a value that is a level recurs; with fewer rows each, few values only mean few rows
MEASURED = 14  # different whole numbers: of fewer, most scales and counts have as many
EMPTY_BOTTOM = 0.06  # of the 95 % point, below which a measure has no values and a count has many
AS_POISSON_COUNTS = 0.25  # by which the variance of counts of chance events may differ from their mean
MANY_WHOLE = 100  # so many different whole numbers over a range above 1,000 are a quantity

NEARLY_CONSTANT = 0.99  # the rest is under 1 % of rows: too few to learn from in most tables

# --- quality ------------------------------------------------------------------------------------------
GAP_APART = 0.5  # between shares of missing at two levels of another column: half the rows
GAP_BETTER = 0.02  # by which another column must explain gaps better, to be named instead
GAP_ALL = 0.95  # of the rows at a level missing, and as many present at another: it cannot be there
GAP_ROWS = 20  # at a level, for its share of missing to be read
GAP_BINS = 6
MOST_GAP_LEVELS = 12
MOST_GAP_LOOKS = 20_000  # patterns of gaps times columns: a second or two
FULL_CROSSING = 0.8  # of all combinations of levels are there, once each
LEAST_CELLS = 8  # fewer rows are any small table
EVEN_MARGIN = 0.6  # of the rows at the commonest level, at the rarest: levels that are crossed have about equally many
EVEN_P = 1e-6  # that rows fall as evenly by chance: over all sets of twelve columns under 4 in 1,000
ROWS_A_PLACE = 3.0  # rows a group, on average
SAME_WITHIN_PLACE = 0.95  # of the groups share one value
NO_FUNCTION = 0.995  # rank correlation of two numbers, above which one is a function of the other
SHARED_COLUMNS = 3  # numbers that are the same within groups, by no function of each other
MOST_KEYS = 3  # columns tried for the groups
MOSTLY_MISSING = 0.5  # more often missing than there
FEWEST_GAPS = 5  # fewer gaps coincide, or follow an outcome, by chance
SAME_GAPS = 0.9  # of the rows where either is missing, both are
SCREEN_GAPS = 20_000  # rows looked at before all: gaps that coincide do so there too
LEAST_POINTS = 0.05  # of a rate or share: a smaller difference changes no decision, however sure
LEAST_SD = 0.1  # of a number's deviation, likewise
MOST_GAPS_APART = 3  # columns whose gaps follow the outcome are named one by one; more are named at once
GAPS_P = 0.01  # after multiplying by the number of columns with gaps: under 1 % of tables by chance
OWN_VALUES = 0.9  # so many different values in the rows: what names a record
FEW_REPEATED = 0.05  # a key may be wrong in a few rows; more repeats mean that it names something else
LEAST_UNITS_IN_TIME = 10  # cases whose rows differ in time: a history each
LEAST_UNITS = 30  # cases: of fewer, the column is a level like any other
PLACE_HOLDER = 0.2  # of the rows with one value: it stands for none ("not applicable"), and names no case
ALIKE_WITHIN = 0.2  # intraclass correlation of the outcome, for a place or the like to be a unit by it
ROWS_A_UNIT = 3  # rows of the middle case, for a column that is a case by its name only
TIMES_OF_A_PANEL = 3  # different times, for rows of one case to be its history
UNIT_ROWS = 0.05  # a unit matters once so many rows share theirs with another
DIFFER_WITHIN_UNIT = 0.15  # of how often two rows differ by chance: a property of the unit keeps its value
SCREEN_ROWS = 1_000  # enough to see that two columns are not on one line
SCREEN_CORRELATION = 0.9999  # a copy rounded to two digits still has more
ROUNDING = 0.02  # of a deviation: what rounding to a few steps a deviation leaves
ZERO_APART = 0.2  # of the median: a zero is no amount where no other value lies below this
SENTINEL_IQRS = 3.0  # Tukey's far fence, where 1 in 400,000 normal values lies
SENTINEL_ROWS = 3  # one or two rows may be an outlier as well
SENTINEL_GAP = 0.25  # of the spread of the middle 98 %: a hole no smooth tail has
FEW_IMPOSSIBLE = 0.02  # a slip of the pen is rare; a common value is possible after all
DATE_IQRS = 5.0  # dates bunch into seasons, so the fence is wider than for amounts
ROWS_FOR_ORDER = 30  # pairs of dates before an order can be claimed
RECIPE_SLIPS = 0.02  # of rows, in which a column need not be what others make it: zeros, corrections
FOLLOW_SLIPS = 0.02  # of the rows outside the commonest level, that need not be what another column makes them
FOLLOW_ROWS = 1.0  # rows a level beyond the first, on average, for it to have one value of another by more than chance
FEW_OUT_OF_ORDER = 0.02  # more exceptions mean that there is no order
MOST_LEVELS_READ = 20_000  # texts tried as numbers one by one
FEW_TEXTS = 0.1  # so few texts among numbers are slips
MOST_LEVELS_SPELT = 1_000  # pairs of levels grow with the square
RARE_SPELLING = 0.2  # a misspelling is rarer than the right one
SHORTEST_SPELT = 5  # short names differ by one letter and mean different things
MANY_LEVELS = 50  # more indicator columns than most tables can feed
FEW_SPELLINGS = 3  # pairs one letter apart: of more, and more than a tenth of the levels, the words are alike by nature
RARE_ROWS = 30  # a rate of fewer rows has a 95 % interval of 18 points to either side at worst
RARE_SHARE = 0.06  # of the rows: in a small table a level of 30 rows may be a usual one
ROWS_FOR_LEVELS = 100  # with fewer rows every level is rare

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
STRONG_CLASS = 0.5  # one column that removes half the uncertainty is worth a question, no more
STRONG_NUMBER = 0.8  # R² on held-out rows, likewise
TOO_GOOD_CLASS = 0.9  # all but the outcome itself
TOO_GOOD_AUC = 0.98  # of pairs in the right order
TOO_GOOD_NUMBER = 0.98  # R² between ranks, of categories on held-out rows; a copy in another unit has 1
MANY_NAMES = 20  # levels: a column of so many tells rows apart, whatever it measures
LITTLE = 0.001  # a share surely above this is worth a look; below it no picture shows the difference
SHIFT_OF_UNITS = 0.01  # a change of share that keeping units whole makes and that is worth naming

ROWS_IN_TIME = 50  # rows before neighbours in time are compared
OWN_TIMES = 0.8  # of the rows have a time of their own: a series, not a panel
NEIGHBOURS_AGREE = 0.5  # correlation of neighbours in time: they share a quarter of what they say

# --- one candidate -----------------------------------------------------------------------------------
BY_VALUE = 20  # values: so few are shown one by one, as months are, or how many rooms
RATE_BINS = 10  # deciles: enough to see a bend, and a tenth of the rows in each
FEW_ROWS = 10  # a rate of fewer rows has a 95 % interval wider than 0.5 at best
BEND_SHARE = 0.6  # of the differences between bins that one bend explains: else they are scattered
BEND_SIDES = 0.25  # of the longer side of a bend, that the shorter has at least
BEND_P = 1e-4  # over 40 candidates of noise this raises a finding in under 0.4 % of tables
NO_TREND_P = 0.01  # the rank test sees no trend worth speaking of
Q_CARRIES = 0.05  # the false discovery rate at which a candidate is said to carry something

# --- one column ---------------------------------------------------------------------------------------
LEAST_SHAPE = 30  # rows before anything is said of a shape
SURE = 5.0  # standard errors: over 100 columns of 60 bins under 1 % by chance
TAIL_SKEWNESS = 1.0  # an exponential has 2, a normal of 1,000 rows 0.08 at one standard error
OUTLIER_RATIO = 2.5  # over what a normal distribution has: a gamma of shape 9 has twice as many
FAR_IQRS = 10.0  # beyond this a value is gross: 1 in 10^40 of normal values, 1 in 6,000 of Student's t on 3 df
FAR_GAP = 2.0  # interquartile ranges without a value, before or among the far ones
FAR_SHARE = 0.01  # more than this is a group of its own, not slips
FAR_SHARE_OF_A_CODE = 0.05  # likewise of one value among them
SPIKE_MULTIPLES = (2, 4, 5, 6, 10, 12, 20, 25, 30, 50, 100, 200, 250, 500, 1000)  # what people round to
SPIKE_RATIO = 1.5  # rows at multiples over what their surroundings lead to expect
SPIKE_SHARE = 0.1  # of all rows, that are too many at multiples: fewer change no picture
SPIKE_FEW = 0.9  # of the excess, that four multiples may hold: else they are popular values
SPIKE_OTHERS = 0.5  # of the values that the other rows would have, were they spread evenly
SPIKE_AGREE = 2 / 3  # of the multiples have rows too many: a few popular values are no rounding
SPIKE_LEAST = 5  # multiples with rows too many
ZERO_RATIO = 1.5  # zeros over what the next values lead to expect
ATOM_SURE = 4.0  # standard errors: three columns in 100,000 by chance
ATOM_SHARE = 0.01  # of rows at one value, for it to be seen
ROWS_FOR_TOP = 100  # rows before a largest value is read
TOP_RATIO = 1.3  # rows at the largest value over what the one before it, thinning on, leads to expect
TOP_SURE = 3.0  # standard errors, likewise: one column in a thousand by chance
TOP_GAP = 1.4  # of the middle gap between values, before the last: the middles of ranges that get wider
TOP_SHARE = 0.15  # of the rows at the last of such values
TOP_DISTINCT = 6  # values: of fewer, the last is one of a few
BOUND_RATIO = 3.0  # rows at the end of the range over what the next values lead to expect
BOUND_MODE = 1.2  # rows at the end over those of any other value: else it is one popular value of many
BOUND_SHARE = 0.5  # of rows: more at one end are the rule, and no limit of the instrument
BOUND_DISTINCT = 30  # values: of fewer, any of them is often the commonest
BOUND_MODE_OF_FEW = 2.0  # then rows at the end over those of any other value
DIP_P = 0.001  # over 40 columns under 4 % by chance
DIP_LEAST = 0.02  # a smaller dip cannot be seen, however sure
VALLEY = 0.75  # of the lower peak: a shallower valley is a wrinkle
PEAK_LEAST = 0.25  # of the higher peak: a lower one is a tail
PEAKS_APART = 1.0  # standard deviations between peaks: two kinds of row, not two popular values
PEAKED_DISTINCT = 40  # values: of fewer, a bar chart says more
PEAKED_POPULAR = 12  # values: where so few hold half of the rows, they are popular values and no peaks
PEAK_SURE = 5.0  # standard errors between a peak and the valley beside it
FEW_DISTINCT = 10  # values that could be read out one by one
STEP_SHARE = 0.125  # of a standard deviation: steps that show in a Q–Q plot and a density
CENTRE_SHIFT = 0.05  # of a deviation between mean and median, to be worth a word
CENTRE_SKEWNESS = 0.3  # below it a histogram looks even

# --- groups -------------------------------------------------------------------------------------------
GROUP_P = 1e-4  # over 40 candidates of noise under 0.4 % of tables
SPREAD_RATIO = 1.5  # of standard deviations: intervals half as wide again
SPREAD_ROWS = 30  # a deviation of fewer rows is known to ± 25 % at best
SAME_OVERLAP = 0.85  # of two densities: two normals 0.38 deviations apart
TINY_G = 0.2  # Cohen's small effect
TINY_ROWS = 1_000  # fewer rows seldom find a tiny difference
INTERVAL_P = 0.05  # what a 95 % interval of the difference would say
LEVELS_READ = 500  # one by one, by a person with patience; more are joined
LEVELS_PAIRED = 200  # pairs of levels grow with the square
PAIRS_SHOWN = 20
SCREEN_SURE = 3.0  # standard deviations beyond noise, for a pair of numbers to be looked at
FORM_ROWS = 30  # rows before a form is looked for
FORM_RELATED = 2.6  # standard errors by which a fit must beat the mean: one in a hundred by chance
FORM_LEAST = 0.002  # of the variance: less is seen in no picture
FORM_NONE = 0.06  # of the variance that a relation could still have, for none to be seen
FORM_BETTER = 2.0  # standard errors by which a richer fit must beat a plainer one
FORM_UNSEEN = 0.1  # of the variance that a bend could still have, for it to be left open
FORM_GAIN = 0.01  # of the variance, beyond the plainer fit, for a bend to be worth a name
FORM_OTHER_GAIN = 0.05  # the same for a bend that only the other side shows: it should be plain
CUT_CELLS = 200  # places where a cut may lie
CUT_DRAWS = 400  # subsamples that say how surely
TURN_OVERALL = 2.8  # standard errors over all rows: five in a thousand by chance
TURN_SURE = 4.0  # standard errors within the levels: over 400 pairs under 3 % by chance, and it must go the other way
TURN_CELL = 10  # rows in a cell, in two levels of the candidate at least, for a level of the third to be read
TURN_AGREE = 0.8  # of the levels go the inner way
TURN_POINTS = 0.03  # of the event's rate, end to end, in both directions: a smaller turn changes no decision
TURN_SAME = 0.7  # correlation of the two columns: one stands for the other, and within one there is little left
TURN_SHARE = 0.5  # of the outcome's variance that the third column holds: then it is part of the outcome
AGREE_ROWS = 8  # of a group, for its own difference to be set against the others': of fewer its error is not known
AGREE_UNITS = 8  # with rows in a group, likewise: of fewer nothing is known of how units vary there
WELCH_GROUPS = 4  # so few hold the level of Welch's F whatever their rows
AGREE_EXPECTED = 3.0  # rows in each cell of a group, likewise: with fewer chi-square rejects one table in ten
VANISH_LEFT = 0.5  # of the difference over all rows, that may be left within groups for it to have vanished
ONLY_P = 6e-5  # that what shows only within comes by chance: four standard errors, since nothing asked for it
VANISH_P = 0.05  # that what goes within groups goes by chance: two standard errors, for groups a person asked about
EMPTY_EXPECTED = 10.0  # rows expected in an empty cell: under 1 in 20,000 by chance
STEP_SHARE_OF_CHI = 0.9  # of the differences between levels that one step explains
IN_ORDER = 0.99  # rank correlation of a time with the row's number: the file stands in its order
SERIES = 0.7  # correlation of neighbouring rows: they share half of what they say
MUCH_UNKNOWN = 0.1  # of the rows without an outcome: what is learned of the others may not hold
ZERO_OUTCOME = 0.4  # of the rows with an outcome of 0, for it to be two questions
DRIFT_P = 1e-4  # over 40 dates of noise under 0.4 % of tables

# --- columns together ---------------------------------------------------------------------------------
LIKE_LEVELS = 1.5  # times as many levels as another's: with more, one follows from the other and not it from that
NEARLY_SAME = 0.8  # of every two of a group: two thirds of what one says, the other says
CURVE_LEAST = 0.3  # strength of a curve worth naming
CURVE_GAIN = 0.1  # of the variance that a curve explains and a line does not
FEW_CARRY_LEAST = 0.3  # of a correlation, for what carries it to matter
FEW_CARRY_MOST = 5  # rows: more are a group
FEW_CARRY_SHARE = 0.02  # of the rows at most
WITHIN_LEAST = 0.3  # of a correlation over all rows, or within levels
WITHIN_TURNED = 0.15  # both ways, for a turn
WITHIN_LEFT = 1 / 3  # of a correlation, that may be left where all pairs are searched
SHAPES_APART = 0.1  # of the rows on different sides of some value
TOGETHER_LEAST = 0.005  # of the outcome's uncertainty, surely, beyond the sum of both alone

# --- transforms ---------------------------------------------------------------------------------------
SKEWED = 5.02  # twice the gain in log-likelihood: 2.5 % of normal samples by chance
AS_CLOSE = 0.01  # of the distance from normal, likewise: less is seen in no picture
CLOSER = 0.02  # by which a transform must bring the distance down, to be worth its price
LESS_SKEWED = 0.3  # by which it must bring the skewness down, where values are tied
FAR_POWER = 5.0  # from 1: a power further out only says that the values lie far from zero
FAR_SCALE = 1e3  # times as wide, or as narrow, a range: likewise, and nobody reads such numbers
SKEWED_MUCH = 0.5  # of skewness, for a fitted power: its numbers are harder to read
EVENER = 0.7  # of the skewness may be left by a transform that is worth it
AS_EVEN = 0.2  # of skewness, within which a simpler transform does as well, likewise
MOSTLY_ONE = 0.5  # of rows at one of a few values: nearly a yes or no
LARGE_COUNTS = 12.0  # the mean of Poisson counts whose skewness is under 0.3
AS_POISSON = 0.1  # of the mean, by which the variance of counts may differ from it
SURE_OF_POISSON = 2.5  # standard errors, likewise in few rows
TIED = 0.08  # of rows at one value: the distance then says more of the ties than of the shape
HEAVY = 1.5  # excess kurtosis, three quarters of a Laplace distribution's surplus: tails, not chance
UNEVEN = 0.15  # of the octiles about the median: a lean of the body, not of a few far values
NOT_QUITE_NORMAL = 0.8  # Lilliefors' 15 % point, likewise, beside tails that are surely heavy
NOT_NORMAL = 1.04  # Lilliefors' 1 % point times the root of n
SPIKED = 0.15  # of rows at one value: no transform spreads them
OVER_THE_NEXT = 2.0  # times the rows of the next most frequent value: else it is the top of a heap
EXCESS_ZEROS = 0.1  # of rows at zero beside a continuous rest
MAYBE_PEAKED = 0.2  # p of the dip test, for a transform not to be risked: skewed samples with one peak have p near 1
STRAIGHTER = 0.01  # of the outcome's uncertainty, that a straight line gains
STRAIGHTER_ROWS = 12  # over the rows, likewise: a held-out line moves by a few rows' worth by chance

# --- maps ---------------------------------------------------------------------------------------------
APART = 0.5  # of what chance leaves: half of the way from chance to a class by itself
APART_AT_ALL = 0.1  # likewise, under which classes are mixed for the eye
APART_SURE = 4.0  # standard errors: over ten classes under one in a thousand by chance
APART_ROWS = 20  # of a class, for its neighbours to be read
TRUSTED = 0.85  # trustworthiness: a map of noise has about 0.7 to 0.8
RECALLED = 0.1  # of the nearest rows: under one in ten, the map says nothing of single rows
RECALLED_OF_DOUBTFUL = 0.25  # likewise, where trustworthiness is low
EXPLAINS = 0.9  # Cramér's V of pieces and a column
PIECE_OF_CLASS = 0.15  # of a class's rows: fewer are strays
