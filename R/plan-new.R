# A plan to begin with, from nothing but a file of measurements. It runs as it stands; comments say what to change.

# Which column is explained by which: stated standard deviations and counters aside, the last number by the first.
guessed_columns <- function(data, path, call = rlang::caller_env()) {
  numbers <- names(data)[vapply(data, is.numeric, logical(1))]
  spreads <- grep("(^|[_. ])(sd|se|sigma|err|error|weight)s?$", numbers, value = TRUE, ignore.case = TRUE)
  varying <- Filter(function(name) length(unique(stats::na.omit(data[[name]]))) > 2, setdiff(numbers, spreads))
  if (length(varying) < 2) {
    refuse("measurements", c(
      "{.file {path}} needs two columns of numbers that vary: one to explain, and one to explain it by.",
      "x" = "It has {length(varying)}: {.field {varying}}."
    ), call = call)
  }
  response <- utils::tail(varying, 1)
  predictor <- varying[1]
  list(response = response, predictor = predictor, others = setdiff(varying, c(response, predictor)), spread = spreads[1])
}

# The best of the catalogue stands in the plan, the next ones beside it.
most_ranked_rows <- 2000
offered_beside <- 4

ranked_for_plan <- function(data, guess) {
  if (nrow(data) > most_ranked_rows) data <- data[unique(round(seq(1, nrow(data), length.out = most_ranked_rows))), ]
  formula <- rlang::new_formula(as.symbol(guess$response), as.symbol(guess$predictor), env = emptyenv())
  criterion <- new_least_squares(sd = if (!is.na(guess$spread)) as.symbol(guess$spread))
  tryCatch(rank_models(data, formula, criterion = criterion, folds = 0), tundrel_error = function(e) NULL)
}

starter_plan <- function(path, beside, call = rlang::caller_env(), tell = function(ranking) NULL) {
  data <- read_measurements(path)
  guess <- guessed_columns(data, path, call)
  ranking <- ranked_for_plan(data, guess)
  if (!is.null(ranking)) tell(ranking)
  name <- tools::file_path_sans_ext(basename(path))
  x <- r_name(guess$predictor)
  y <- r_name(guess$response)
  # about which there is nothing to say first
  odd <- names(attr(ranking, "runs")) %in% ranking$model[nzchar(ranking$remark)]
  runs <- c(attr(ranking, "runs")[!odd], attr(ranking, "runs")[odd])
  formulas <- c(vapply(utils::head(runs, offered_beside + 1), function(run) model_text(run$problem), ""), if (is.null(runs)) offered_formulas(x, y))
  best <- if (length(runs)) condition_texts(runs[[1]]$problem)
  units <- units_of(data)
  told <- function(column) one_line(paste0(column, if (isTRUE(!is.na(units[column]) && nzchar(units[column]))) paste0(" [", units[column], "]")))
  c(
    paste0("# A plan for ", one_line(basename(path)), ": ", nrow(data), " rows. Run it with: tundrel run ", one_line(basename(beside))),
    "# It runs as it stands. Look at two lines: `model`, and `subject_to`.",
    paste("title:", yaml_text(name)),
    paste("measurements:", yaml_text(relative_path(path, dirname(beside)))),
    "",
    paste0("# What explains ", told(guess$response), ". Columns keep their names; every other name is a parameter to be found."),
    paste0("# Columns of numbers: ", paste(vapply(names(data)[vapply(data, is.numeric, logical(1))], told, character(1)), collapse = ", "), "."),
    if (length(runs)) paste0("# The best of the catalogue by AICc, beside those with a remark, is ", names(runs)[1], "; ", if (length(runs) > 1) "the next ones stand below. ", "A ranking cannot tell which process is at work:"),
    if (length(runs)) "# prefer a model that is known to apply.",
    paste("model:", yaml_text(formulas[1])),
    if (length(runs)) plan_dynamics(runs[[1]], "dynamics: "),
    if (length(formulas) > 1) paste0("# model: ", vapply(formulas[-1], yaml_text, character(1)), if (length(runs)) paste0("  # ", names(runs)[seq_along(formulas)[-1]], vapply(runs[seq_along(formulas)[-1]], beside_model, ""))),
    "# More of them: tundrel models",
    "",
    "# What values make sense, as sentences, such as: [a > 0, \"between(b, 0, 10)\", m == 1 - 1 / n]",
    paste("subject_to:", yaml_texts(best)),
    "",
    "# Starting values are suggested where none are stated, such as: {a: 1, b: 2}",
    "start: {}",
    "",
    "# What close means: least_squares; {least_squares: {sd: COLUMN}}; {least_squares: {relative: fitted}}; robust_error;",
    "# {max_likelihood: {family: poisson}}",
    paste("criterion:", if (is.na(guess$spread)) "least_squares" else paste0("{least_squares: {sd: ", yaml_text(guess$spread), "}}")),
    "",
    "# One run a line; several are compared, such as: - {starts: 50, seed: 1}",
    "runs:",
    "  - {}",
    "",
    "# Uncertainty: any of curvature, profile, bootstrap, percentile",
    "uncertainty: [curvature, profile]",
    "output: results/",
    "report: report.html"
  )
}

offered_formulas <- function(x, y) {
  c(
    paste(y, "~ a + b *", x),
    paste0(y, " ~ top * ", x, " / (half + ", x, ")"),
    paste0(y, " ~ rest + height * exp(-rate * ", x, ")"),
    paste0(y, " ~ top / (1 + exp(-(", x, " - middle) / width))"),
    paste0(y, " ~ base + peak_gauss(", x, ", height, centre, fwhm)")
  )
}

# ", subject_to: [half > 0]"
beside_model <- function(run) {
  texts <- condition_texts(run$problem)
  paste0(c("", plan_dynamics(run, ", dynamics: "), if (length(texts)) paste0(", subject_to: ", yaml_texts(texts))), collapse = "")
}

plan_dynamics <- function(run, key) {
  planned <- planned_dynamics(run$problem$model$dynamics$source)
  if (!is.null(planned)) paste0(key, jsonlite::toJSON(planned, auto_unbox = TRUE, digits = NA))
}

yaml_texts <- function(texts) paste0("[", paste(vapply(texts, function(text) as.character(jsonlite::toJSON(text, auto_unbox = TRUE)), ""), collapse = ", "), "]")

# Text as YAML reads it back, whatever is in it.
yaml_text <- function(text) {
  plain <- grepl("^[A-Za-z][A-Za-z0-9_./ ~*+^(),-]*$", text) && !grepl("^(y|n|yes|no|on|off|true|false|null)$", text, ignore.case = TRUE)
  if (plain) text else as.character(jsonlite::toJSON(text, auto_unbox = TRUE))
}

# A path as seen from a directory: relative where it lies below it, else whole.
relative_path <- function(path, from) {
  whole <- normalizePath(path)
  from <- paste0(normalizePath(from), "/")
  if (startsWith(whole, from)) substring(whole, nchar(from) + 1) else whole
}
