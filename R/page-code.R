# The R code of what was done at the page. Run in a fresh R beside the file of measurements, it gives the same numbers.

r_text <- function(text) encodeString(text, quote = "\"")

# A name as it stands in code.
r_arguments <- function(values) paste(paste(r_name(names(values)), values, sep = " = "), collapse = ", ")

r_numbers <- function(x) shortest_digits(as.numeric(x))

r_vector <- function(items) if (length(items) == 1) items else paste0("c(", paste(items, collapse = ", "), ")")

# What the table is called in code.
data_name <- function(state) {
  name <- gsub("[^A-Za-z0-9]+", "_", tools::file_path_sans_ext(basename(state$source %||% "measurements")))
  name <- gsub("^[_0-9]+|_+$", "", name)
  if (!nzchar(name) || name %in% c("problem", "T", "F", "c") || name %in% reserved_words || grepl("^run_", name)) "measurements" else name
}

reserved_words <- c("if", "else", "repeat", "while", "function", "for", "next", "break", "TRUE", "FALSE", "NULL", "Inf", "NaN", "NA", "in")

pose_code <- function(state) problem_parts(state$problem, state)$pose

start_code <- function(start) {
  start <- start[!is.na(start)]
  if (length(start)) paste0("start_from(", r_arguments(stats::setNames(r_numbers(start), names(start))), ")")
}

range_code <- function(ranges) {
  if (length(ranges) == 0) return(NULL)
  of_one <- function(range) {
    ends <- paste(r_numbers(range), collapse = ", ")
    if (isTRUE(attr(range, "log"))) paste0("log_range(", ends, ")") else paste0("c(", ends, ")")
  }
  paste0("search_within(", r_arguments(vapply(ranges, of_one, "")), ")")
}

condition_code <- function(texts) if (length(texts)) paste0("subject_to(", paste(vapply(texts, as_written_or_quoted, ""), collapse = ", "), ")")

# A sentence as R code where it reads as the same sentence, and else as text, which is read the same way.
as_written_or_quoted <- function(text) {
  expr <- tryCatch(rlang::parse_expr(text), error = function(e) NULL)
  if (!is.null(expr) && identical(expression_text(expr), text)) text else r_text(text)
}

leave_out_code <- function(entries) {
  vapply(entries, function(entry) {
    rows <- r_vector(format(unlist(entry$rows), scientific = FALSE, trim = TRUE))
    others <- c(if (!is.null(entry$response)) paste0("response = ", r_text(entry$response)), if (nzchar(entry$reason)) paste0("reason = ", r_text(entry$reason)))
    paste0("leave_out(", paste(c(rows, others), collapse = ", "), ")")
  }, "")
}

# A criterion is said as a plan says it, with texts that are expressions.
criterion_code <- function(criterion) {
  each <- planned_criteria(criterion)
  if (length(each)) {
    together <- planned_together(criterion)
    return(paste0("judge_by(", r_arguments(vapply(each, one_criterion_code, "")), if (!is.null(together)) paste0(", together = ", r_text(together)), ")"))
  }
  planned <- planned_criterion(criterion)
  if (!identical(planned, "least_squares")) paste0("judge_by(", one_criterion_code(planned), ")")
}

one_criterion_code <- function(planned) {
  if (rlang::is_string(planned)) return(paste0(planned, "()"))
  arguments <- planned[[1]]
  of_one <- function(value, name) {
    if (name == "censored") return(paste0("censored(", r_arguments(vapply(value, function(x) r_vector(as.character(unlist(x))), "")), ")"))
    if (name %in% c("relative", "loss", "family")) return(r_text(value))
    if (is.list(value)) return(written_argument(name, value))
    if (is.numeric(value)) r_numbers(value) else as.character(value)
  }
  values <- vapply(names(arguments), function(name) of_one(arguments[[name]], name), "")
  named <- names(values) != "family"
  paste0(names(planned), "(", paste(c(values[!named], if (any(named)) r_arguments(values[named])), collapse = ", "), ")")
}

# What a problem was made by, verb by verb.
problem_parts <- function(problem, state) {
  formulas <- paste(model_texts(problem), collapse = ",\n  ")
  constants <- unlist(problem$model$constants)
  by <- if (length(problem$by)) paste0(", by = ", r_vector(r_name(problem$by)))
  named <- if (length(constants)) paste0(", constants = c(", r_arguments(stats::setNames(r_numbers(constants), names(constants))), ")")
  dynamics <- dynamics_code(problem$model$dynamics$source)
  list(
    pose = paste0("pose(", data_name(state), ", ", formulas, named, by, if (!is.null(dynamics)) paste0(",\n  dynamics = ", dynamics), ")"),
    leave_out = leave_out_code(planned_left_out(problem)), judge = criterion_code(problem$criterion), search = range_code(problem$search_box),
    conditions = condition_code(condition_texts(problem)), start = start_code(problem$start)
  )
}

dynamics_code <- function(dynamics) {
  if (is.null(dynamics)) return(NULL)
  formulas <- function(expressions) paste(paste(r_name(names(expressions)), "~", vapply(expressions, expression_text, "")), collapse = ", ")
  events <- dynamics$events
  column <- function(x) r_vector(if (is.numeric(x)) r_numbers(x) else ifelse(is.na(x), "NA", r_text(as.character(x))))
  paste0(
    "dynamics(", formulas(dynamics$rates), ", along = ", r_name(dynamics$along), ", begin = list(", formulas(dynamics$begin), ")",
    if (!is.null(events)) paste0(", events = data.frame(", r_arguments(vapply(as.list(events), column, "")), ")"),
    if (length(dynamics$by)) paste0(", by = ", r_vector(r_name(dynamics$by))), if (dynamics$from != 0) paste0(", from = ", r_numbers(dynamics$from)), if (length(dynamics$expect)) paste0(", expect = ", r_vector(r_text(dynamics$expect))), ")"
  )
}

# The problem in code: the whole pipeline, or what changed since `before` where that is one verb.
problem_code <- function(problem, state, before = NULL) {
  parts <- problem_parts(problem, state)
  if (!is.null(before)) {
    earlier <- problem_parts(before, state)
    changed <- names(parts)[!mapply(identical, parts, earlier)]
    if (length(changed) == 0) return(NULL)
    if (identical(changed, "start") && length(parts$start)) return(paste0("problem <- problem |> ", parts$start))
    grown <- identical(changed, "leave_out") && identical(utils::head(parts$leave_out, length(earlier$leave_out)), earlier$leave_out)
    if (grown) return(paste0("problem <- problem |> ", paste(parts$leave_out[setdiff(seq_along(parts$leave_out), seq_along(earlier$leave_out))], collapse = " |> ")))
  }
  paste0("problem <- ", paste(unlist(parts), collapse = " |>\n  "))
}

run_name <- function(asked) paste0("run_", asked$label)

run_code <- function(asked) {
  settings <- asked$settings
  values <- vapply(settings, function(x) if (is.character(x)) r_text(x) else r_numbers(x), "")
  arguments <- if (length(values)) paste0(", ", r_arguments(values)) else ""
  shared <- if (length(asked$shared)) paste0(", shared = ", r_vector(r_text(asked$shared))) else ""
  made <- switch(asked$scope,
    local = if (is.finite(asked$iterations)) paste0("begin_run(problem", arguments, ") |> advance(", asked$iterations, ")") else paste0("fit_local(problem", arguments, ")"),
    global = paste0("fit_global(problem", arguments, ")"),
    many = paste0("fit_multistart(problem", arguments, ")"),
    groups = paste0("fit_each(problem", arguments, shared, ")")
  )
  paste0(run_name(asked), " <- ", made, if (isTRUE(asked$stopped)) "  # was stopped by hand; this goes to the end")
}

# All of it. `ways` of uncertainty and readings to come that were asked for, and the label of the run that is handed over.
page_code <- function(state, chosen = NULL, ways = character(), asked_next = NULL) {
  if (is.null(state$data)) return("library(tundrel)")
  lines <- c("library(tundrel)", "", paste0(data_name(state), " <- read_measurements(", r_text(state$source), ")"))
  if (is.null(state$problem)) return(lines)
  before <- NULL
  for (asked in state$asked) {
    code <- problem_code(asked$problem, state, before)
    lines <- c(lines, if (!is.null(code)) c("", code), run_code(asked))
    before <- asked$problem
  }
  code <- problem_code(state$problem, state, before)
  lines <- c(lines, if (!is.null(code)) c("", code))
  c(lines, code_of_use(state, chosen, ways, asked_next))
}

# What is read from the runs.
code_of_use <- function(state, chosen, ways, asked_next) {
  single <- Filter(function(asked) asked$scope != "groups", state$asked)
  if (is.null(chosen)) return(NULL)
  asked <- asked_of(state, chosen)
  name <- run_name(asked)
  if (asked$scope == "groups") return(c("", paste0("coef_table(", name, ")")))
  if (asked$scope == "many") name <- paste0("best_run(", name, ")")
  comparable <- Filter(function(one) identical(problem_parts(one$problem, state)[-6], problem_parts(asked$problem, state)[-6]), single)
  c(
    "",
    if (length(comparable) > 1) paste0("compare_runs(", paste(vapply(comparable, run_name, ""), collapse = ", "), ")"),
    paste0("check_solution(", name, ")"), paste0("check_residuals(", name, ")"),
    if (length(ways)) paste0("uncertainty(", name, ", by = ", r_vector(r_text(ways)), ", seed = 1)"),
    if (length(state$derived)) paste0("derive(", name, ", ", r_arguments(unlist(state$derived)), ")"),
    next_code(name, asked_next),
    paste0("write_report(", name, ", \"report.html\")")
  )
}
