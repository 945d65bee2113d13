#' Store a run, and read it back
#'
#' One JSON file holds the problem with its measurements, the solver, the trace and the solver's whole state, so that
#' the run can be looked at, or gone on with, elsewhere: numbers survive exactly. A file holds no code: models and
#' conditions are text of the model language, checked again when they are read. A run on a function of your own
#' stores everything but the function, which is handed in again.
#'
#' @param run A run, ended or not.
#' @param path \[character(1)] The file, ending in `.json`. An existing one is replaced whole.
#' @param fun \[function] For runs on a function of your own, or a formula that calls one: that function.
#' @param problem \[tundrel_problem] A problem that the stored one must be equal to; where it is not, the
#'   difference is named.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @details `saveRDS()` keeps a run, too, functions of your own included, for sessions of the same version of the package. What is to be read by later
#'   versions, or years later, goes through `write_run()`, whose format has a version of its own that all later ones read.
#'
#' @return `write_run()`: `path`, invisibly. `read_run()`: the run.
#' @section Errors: `tundrel_error_file` for a file that cannot be written or read, is damaged, of another or a newer
#'   format, needs a function, or holds another problem.
#' @export
#' @examplesIf requireNamespace("jsonlite", quietly = TRUE)
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 80, half = 15, dark = 1) |>
#'   begin_run() |>
#'   advance(2)
#' path <- tempfile(fileext = ".json")
#' write_run(run, path)
#' finish(read_run(path))
write_run <- function(run, path, ...) {
  refuse_unknown(...)
  check_run(run)
  need_package("jsonlite", "to store runs")
  if (!rlang::is_string(path) || !grepl("\\.json$", path)) {
    refuse("file", c("{.arg path} must be the name of a file that ends in {.file .json}.", "x" = "It is {.val {path}}."))
  }
  refuse_unreadable_model(run, path)
  text <- with_sum(enc2utf8(as.character(run_json(stored_run(run)))))
  write_text(path, text)
}

# R's own reader of text gives up where parentheses stand in each other more than 50 deep.
refuse_unreadable_model <- function(run, path, call = rlang::caller_env()) {
  if (!has_curve(run$problem)) return(invisible())
  text <- model_text(run$problem)
  if (nchar(text) <= most_stored_characters && !is.null(tryCatch(parse(text = text, keep.source = FALSE), error = function(e) NULL))) return(invisible())
  refuse("file", c(
    "{.file {path}} could not be read back: this model is too deep or too long to be stored as text.",
    "x" = "Calls may stand in each other 50 deep there, and a model may have {format(most_stored_characters, big.mark = ',', scientific = FALSE)} characters.",
    "i" = "Pose it as a function of your own, which a file does not hold."
  ), call = call)
}

# A stored run ends with the sum of what stands before it: numbers that somebody changed are not those of the fit.
with_sum <- function(text) sub("\n}$", paste0(",\n  \"md5\": \"", sum_of(text), "\"\n}"), text)
sum_of <- function(text) cli::hash_raw_md5(charToRaw(text))

# TRUE where the sum is that of the text, or where there is none. (Files of before have a `sum` whose method changed with the version
# of a package: it says nothing.)
sum_holds <- function(text) {
  told <- regmatches(text, regexec(",\\s*\"md5\": *\"([0-9a-f]+)\"\\s*}\\s*$", text))[[1]]
  length(told) == 0 || identical(sum_of(sub(told[1], "\n}", text, fixed = TRUE)), told[2])
}

run_json <- function(x) jsonlite::toJSON(x, auto_unbox = TRUE, null = "null", json_verbatim = TRUE, pretty = TRUE)

run_format <- "tundrel run"
run_version <- 2

answer_numbers <- c(
  "estimate", "value", "iterations", "evaluations", "refused", "seconds", "gradient_norm", "undetermined", "advised_rate", "n"
)

stored_run <- function(run) {
  settings <- run$solver$settings
  simplex <- settings$simplex
  settings$simplex <- NULL
  settings <- Filter(Negate(is.null), settings)
  list(
    format = run_format, version = run_version, problem = stored_problem(run$problem),
    solver = list(
      name = run$solver$name, settings = lapply(settings, function(x) if (is.logical(x) || is.character(x)) x else exact(x)), why = run$solver$why,
      simplex = if (!is.null(simplex)) lapply(as.list(simplex), exact)
    ),
    tolerance = exact(run$tolerance), keep = run$keep, start = stored_numbers(run$start),
    seed = if (!is.null(run$seed)) exact(run$seed), box = stored_box(run$box), eliminated = I(as.character(run$eliminated)),
    stages = stored_stages(run$stages),
    # where the run stands and what has been said of it; and, of a polished run, what the search itself came to
    answer = stored_answer(run), search = if (!is.null(run$search)) c(stored_answer(run$search), list(rows = exact(run$search$rows))),
    state = lapply(run$state, function(x) if (is.matrix(x)) stored_matrix(x) else exact(x)),
    trace = stored_trace(run$trace), calls = stored_calls(run$calls),
    told = if (!is.null(run$told)) lapply(run$told, exact)
  )
}

stored_answer <- function(run) {
  list(
    numbers = lapply(run[intersect(answer_numbers, names(run))], exact), slope = if (!is.null(run$slope)) exact(run$slope),
    bound_multipliers = if (!is.null(run$bound_multipliers)) exact(run$bound_multipliers),
    multipliers = stored_numbers(run$multipliers), factor = stored_matrix(run$factor), converged = run$converged,
    stop_reason = run$stop_reason, claim = run$claim, without_effect = I(run$without_effect), runaway = I(run$runaway), creased = I(run$creased)
  )
}

stored_box <- function(box) {
  if (!is.null(box)) list(names = I(names(box$lower)), lower = exact(box$lower), upper = exact(box$upper), log = I(unname(box$log)), near = exact(box$near))
}

stored_stages <- function(stages) {
  if (!is.null(stages)) list(stage = I(stages$stage), evaluations = exact(stages$evaluations), value = exact(stages$value))
}

stored_trace <- function(trace) {
  numbers <- lapply(trace[setdiff(names(trace), c("action", "x", kept_parts))], exact)
  c(numbers, list(action = I(trace$action), x = stored_matrix(trace$x)), lapply(trace[kept_parts], function(kept) lapply(kept, stored_matrix)))
}

stored_problem <- function(problem) {
  data <- table_as_posed(problem)
  list(
    measurements = stored_columns(data), on_disk = folder_on_disk(data), rows = nrow(data), units = as.list(problem$units),
    evaluator = c(stored_evaluator(problem$evaluator, problem), lapply(problem$evaluator[c("precision", "noise")], exact) |> Filter(f = length)), start = stored_numbers(problem$start), conditions = I(condition_texts(problem)),
    search_within = lapply(problem$search_box, function(x) list(range = exact(x), log = isTRUE(attr(x, "log")))),
    criterion = stored_criterion(problem$criterion), clocks = lapply(problem$clocks, function(one) c(list(origin = exact(one$origin)), one[c("unit", "shown")])),
    left_out = if (NROW(problem$left_out)) list(row = exact(problem$left_out$row), reason = I(problem$left_out$reason))
  )
}
