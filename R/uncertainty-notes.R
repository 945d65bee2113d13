# What is said of an interval. Decisions read codes; the sentences are made of them here.

# A remark is a code, with a number or a text that belongs to it.
remark <- function(code, detail = "") stats::setNames(detail, code)

note_of_code <- function(code, detail) {
  switch(code,
    fixed = "fixed",
    tied = paste("tied to", detail),
    value_alone = "a single value has no information about noise",
    no_curvature = "the curvature is not known here",
    under_way = "not known until the run has ended",
    chi_squared = "from the chi-squared distribution of the noise",
    spread_chi_squared = "its square taken as chi-squared, with degrees of freedom after its standard error",
    transformed = "by Fisher's transform of a correlation",
    known_before = paste("rests to", detail, "on what was known before"),
    rests_lower = "rests on its lower bound",
    rests_upper = "rests on its upper bound",
    no_freedom = "no degrees of freedom left",
    exact_fit = "the fit is exact, so there is no noise to estimate",
    no_residuals = "the fit leaves no residuals",
    not_determined = "not determined by the data",
    no_slope = "not available: the gradient gives no information",
    past_bound = "the interval extends beyond a bound",
    past_zero = "the interval extends below zero, where this cannot be",
    not_finite = "the likelihood is not finite",
    creased = "at a kink of the criterion: by = \"profile\" is surer",
    kinks = "no profile is available for this criterion",
    ends_lower = "ends at its lower bound",
    ends_upper = "ends at its upper bound",
    open_below = "open below",
    open_above = "open above",
    lost_below = paste0("lost below: no fit beyond ", detail),
    lost_above = paste0("lost above: no fit beyond ", detail),
    stopped_below = paste("not known below:", cut_short_at(detail)),
    stopped_above = paste("not known above:", cut_short_at(detail)),
    stopped_refits = paste(detail, "refits: then it was cut short"),
    not_corrected = "not corrected for skew: cut short before that was known",
    better_below = "a better optimum lies below",
    better_above = "a better optimum lies above",
    turns_back = "turns back",
    several_minima = "several minima",
    second_stretch = paste("not ruled out near", detail, "either"),
    few_replicates = "too few replicates for these ends",
    failed_refits = paste(detail, "refits failed")
  )
}

cut_short_at <- function(detail) if (nzchar(detail)) paste("cut short at", detail) else "cut short before it was looked for"

# The note of some remarks; "" where there are none.
note_text <- function(remarks) paste(unique(mapply(note_of_code, names(remarks), remarks)), collapse = "; ")

# Of a table's rows, those in whose codes one of these stands.
has_code <- function(table, codes) vapply(strsplit(table$code, " ", fixed = TRUE), function(of_row) any(of_row %in% codes), logical(1))

at_a_bound <- c("rests_lower", "rests_upper", "ends_lower", "ends_upper", "past_bound", "past_zero")
