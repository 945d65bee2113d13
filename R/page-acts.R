# What can be done at the page: each act takes a state and what was typed or chosen, and gives the next state. Everything goes through
# the verbs of the package, which refuse what makes no sense; texts are read in the model language, and never evaluated by R.

# Texts that are typed are shorter than this; tables are not typed.
most_typed <- 10000

check_typed <- function(text, call = rlang::caller_env()) {
  if (!rlang::is_string(text)) refuse("argument", "One text is needed here.", call = call)
  if (nchar(text, "bytes") > most_typed) refuse("argument", "The text has {format(nchar(text, 'bytes'), big.mark = ',')} characters; at most {format(most_typed, big.mark = ',')} are read.", call = call)
  if (!validUTF8(text) || grepl("[\001-\010\013\014\016-\037\177]", text) || grepl(turning, text)) refuse("argument", "The text holds control characters.", call = call)
  text
}

# Characters that turn the direction of writing: what is read is then not what is written.
turning <- "[\u200e\u200f\u202a-\u202e\u2066-\u2069]"

check_page_number <- function(x, what, call = rlang::caller_env()) {
  if (rlang::is_string(x)) {
    check_typed(x, call)
    read <- suppressWarnings(as.numeric(sub("\u2212", "-", sub("^([^.,]*),([^.,]*)$", "\\1.\\2", trimws(x)), fixed = TRUE)))
    if (is.na(read)) refuse("argument", c("{what} must be a number.", "x" = "It is {.val {substr(x, 1, 60)}}."), call = call)
    x <- read
  }
  if (!rlang::is_scalar_double(x) && !rlang::is_scalar_integer(x) || !is.finite(x)) refuse("argument", "{what} must be a finite number.", call = call)
  as.numeric(x)
}

act_table <- function(state, data, source) {
  before <- state
  state$data <- data
  state$source <- source
  state$by <- intersect(state$by, names(data))
  state["problem"] <- list(NULL)
  state$asked <- list()
  state$kept <- list()
  # a model that was typed is kept where it can be read with these columns
  if (nzchar(state$written)) state <- tryCatch(posed_from_page(state, before$problem), tundrel_error = function(e) replace(state, "written", ""))
  after_act(state, paste0("Table ", source, ", ", count_of(nrow(data), "row")), paste0(data_name(state), " <- read_measurements(", r_text(source), ")"))
}

# A model as text, a formula a line, and a line for each rate of change, beginning and event.
act_model <- function(state, text, about = NULL) {
  need_data(state)
  check_typed(text)
  state$written <- trimws(text)
  state <- posed_from_page(state, state$problem)
  for (condition in setdiff(about$conditions, condition_texts(state$problem))) state$problem <- subject_to(state$problem, text = condition)
  after_act(state, paste("Model", model_text(state$problem)), pose_code(state))
}

# The formulas, and the dynamics where there are some.
page_model <- function(text, call = rlang::caller_env()) {
  lines <- trimws(strsplit(text, "\n", fixed = TRUE)[[1]])
  lines <- lines[nzchar(lines)]
  of_dynamics <- !is.na(kinds_of_lines(lines))
  list(formulas = page_formulas(lines[!of_dynamics], call), dynamics = dynamics_of_lines(lines[of_dynamics], call))
}

page_formulas <- function(lines, call = rlang::caller_env()) {
  if (length(lines) == 0) refuse("model", c("There is no model yet.", "i" = "Type one as {.code response ~ expression}."), call = call)
  lapply(lines, typed_formula, call = call)
}

typed_formula <- function(text, call) {
  if (!grepl("~", text, fixed = TRUE)) {
    # y = a + b * x is what a person writes first
    parts <- regmatches(text, regexpr("(?<![=<>!])=(?!=)", text, perl = TRUE), invert = TRUE)[[1]]
    if (length(parts) == 2 && !grepl("[()]", parts[1])) text <- paste(parts[1], "~", parts[2])
  }
  read <- tryCatch(parse(text = text, keep.source = FALSE), error = function(e) e)
  if (inherits(read, "error")) {
    place <- parse_place(conditionMessage(read))
    refuse("model", c(
      "The model cannot be read{place$said}.", "x" = "{.val {substr(text, 1, 200)}}",
      "i" = "Is a bracket open, or a sign of calculation missing?"
    ), call = call)
  }
  formula_from_text(text, "the page", call = call)
}

# Where R's parser stopped: "<text>:1:14: unexpected symbol".
parse_place <- function(message) {
  found <- regmatches(message, regexec("<text>:([0-9]+):([0-9]+): ([^\n]*)", message))[[1]]
  if (length(found) < 4) return(list(said = "", column = NA_integer_))
  what <- if (grepl("end of input", found[4])) "it ends too early" else sub("unexpected ", "unexpected ", found[4])
  list(said = paste0(" at character ", found[3], ": ", what), column = as.integer(found[3]))
}

# The problem of a state posed anew; what was said of the one before holds on as far as it can.
posed_from_page <- function(state, before, call = rlang::caller_env()) {
  said <- list(problem = with_page_groups(posed_at_page(state, call), state), dropped = character())
  if (!is.null(before)) said <- with_what_was_said(said$problem, before)
  state$problem <- said$problem
  state$dropped <- c(said$dropped, units_worked_out(said$problem)$contradictions)
  state$shared <- intersect(state$shared, names(state$problem$start))
  state
}

posed_at_page <- function(state, call) {
  model <- page_model(state$written, call)
  rlang::try_fetch(
    suppressWarnings(pose(state$data, model$formulas, dynamics = model$dynamics), classes = c("tundrel_warning_model", "tundrel_warning_units")),
    tundrel_error = function(e) rlang::cnd_signal(e)
  )
}

with_page_groups <- function(problem, state) grouped_by(problem, if (length(state$by)) state$by)

# What cannot hold any more is told.
with_what_was_said <- function(problem, before) {
  dropped <- character()
  kept <- function(problem, what, verb) tryCatch(verb(problem), tundrel_error = function(e) {
    dropped <<- c(dropped, paste0("No longer there, since it does not fit this model: ", what, "."))
    problem
  })
  known <- intersect(names(problem$start), names(before$start))
  values <- before$start[known]
  problem$start[known[!is.na(values)]] <- values[!is.na(values)]
  if (has_responses(problem) == has_responses(before)) problem <- kept(problem, paste("the criterion", problem_criterion_text(before)), function(p) judged_alike(p, before))
  for (name in intersect(names(before$search_box), names(problem$start))) problem$search_box[[name]] <- before$search_box[[name]]
  for (text in condition_texts(before)) problem <- kept(problem, paste("the condition", text), function(p) subject_to(p, text = text))
  for (entry in planned_left_out(before)) {
    problem <- kept(problem, paste("left out,", few_rows(unlist(entry$rows))), function(p) leave_out(p, unlist(entry$rows), reason = entry$reason, response = entry$response))
  }
  list(problem = problem, dropped = dropped)
}

# Judged by the same criterion, where the columns that it names are there.
judged_alike <- function(problem, before) {
  problem <- if (has_responses(problem)) judge_by(problem, !!!before$criterion$criteria, together = planned_together(before$criterion)) else judge_by(problem, before$criterion)
  compile_problem(problem)
  problem
}

act_groups <- function(state, by, shared = character()) {
  need_data(state)
  for (name in c(by, shared)) check_typed(name)
  state$by <- if (length(by)) group_columns(as.character(by), state$data)
  if (is.null(state$problem)) return(after_act(state, paste("Groups by", paste(by, collapse = ", ")), ""))
  state <- posed_from_page(state, state$problem)
  state$shared <- if (length(by)) intersect(shared, names(state$problem$start))
  after_act(state, if (length(by)) paste("Groups by", paste(by, collapse = ", ")) else "No groups", pose_code(state))
}

act_start <- function(state, values) {
  need_problem(state)
  lapply(names(values), check_typed)
  values <- Map(check_page_number, values, paste("The start of", names(values)))
  state$problem <- start_from(state$problem, values)
  after_act(state, paste0("Start: ", told_values(values)), start_code(unlist(values)))
}

told_values <- function(values) {
  values <- unlist(values)
  paste0(paste(utils::head(names(values), 6), format_number(utils::head(values, 6)), sep = " = ", collapse = ", "), if (length(values) > 6) ", ...")
}

act_keep_start <- function(state) {
  need_problem(state)
  start <- page_start(state$problem)
  if (anyNA(start)) refuse("model", "Only a whole start can be kept: {.field {names(start)[is.na(start)]}} {?has/have} none yet.")
  state$kept <- c(state$kept, list(start))
  after_act(state, paste("Start", length(state$kept), "kept"), "")
}

act_take_start <- function(state, number) {
  need_problem(state)
  number <- check_page_number(number, "The number of a start")
  if (!number %in% seq_along(state$kept)) refuse("model", "There is no kept start {number}.")
  values <- state$kept[[number]]
  act_start(state, as.list(values[intersect(names(values), names(state$problem$start))]))
}

act_range <- function(state, parameter, from, to, log = FALSE) {
  need_problem(state)
  range <- c(check_page_number(from, "The lower end"), check_page_number(to, "The upper end"))
  range <- if (isTRUE(log)) log_range(range[1], range[2]) else range
  state$problem <- rlang::exec(search_within, state$problem, !!!stats::setNames(list(range), check_typed(parameter)))
  after_act(state, paste0("Range of ", parameter, ": ", format_box(range)), range_code(stats::setNames(list(range), parameter)))
}

act_condition <- function(state, text) {
  need_problem(state)
  check_typed(text)
  state$problem <- suppressWarnings(subject_to(state$problem, text = text), classes = "tundrel_warning_units")
  state$dropped <- units_worked_out(state$problem)$contradictions
  after_act(state, paste("Condition", text), condition_code(text))
}

act_drop_condition <- function(state, text) {
  need_problem(state)
  state$problem <- drop_conditions(state$problem, check_typed(text))
  after_act(state, paste("Without the condition", text), paste0("drop_conditions(", r_text(text), ")"))
}

# A criterion as a plan says it: a name, or a name with its arguments; of one of several responses where that is named.
act_criterion <- function(state, given, response = NULL) {
  need_problem(state)
  lapply(as.character(unlist(given)), check_typed)
  criterion <- plan_criterion(list(path = "the page"), given)
  state$problem <- if (is.null(response)) judge_by(state$problem, criterion) else judge_by(state$problem, !!!stats::setNames(list(criterion), check_typed(response)))
  compile_problem(state$problem)
  after_act(state, paste("Criterion:", problem_criterion_text(state$problem)), criterion_code(state$problem$criterion))
}

act_leave_out <- function(state, rows = NULL, where = NULL, reason = "") {
  need_problem(state)
  check_typed(reason)
  if (!is.null(where)) where <- typed_where(where)
  before <- NROW(state$problem$left_out)
  state$problem <- rlang::inject(leave_out(state$problem, if (length(rows)) typed_rows(rows, nrow(state$data)), where = !!where, reason = reason))
  gone <- NROW(state$problem$left_out) - before
  after_act(state, paste0("Left out: ", count_of(gone, "row"), if (nzchar(reason)) paste0(" (", reason, ")")), leave_out_code(utils::tail(planned_left_out(state$problem), 1)))
}

# "27", "3, 5-8" or numbers.
typed_rows <- function(rows, n, call = rlang::caller_env()) {
  if (is.character(rows)) {
    text <- check_typed(paste(rows, collapse = ","), call)
    parts <- strsplit(text, "[,; ]+")[[1]]
    parts <- parts[nzchar(parts)]
    sound <- grepl("^[0-9]{1,9}([-:][0-9]{1,9})?$", parts)
    if (length(parts) == 0 || !all(sound)) {
      refuse("measurements", c("Rows are numbers, such as {.code 27} or {.code 3, 5-8}.", "x" = "It is {.val {substr(text, 1, 60)}}."), call = call)
    }
    ends <- lapply(strsplit(parts, "[-:]"), as.numeric)
    for (end in ends) if (max(end) > n) refuse("measurements", "There is no row {max(end)}: the table has {n}.", call = call)
    rows <- unlist(lapply(ends, function(end) seq(end[1], end[length(end)])))
  }
  as.numeric(unlist(rows))
}

# A text as a condition on columns; R's language only as far as the model language goes.
typed_where <- function(text, call = rlang::caller_env()) {
  expr <- tryCatch(rlang::parse_expr(check_typed(text, call)), error = function(e) NULL)
  if (is.null(expr)) refuse("measurements", c("{.val {substr(text, 1, 60)}} is no condition on columns.", "i" = "Write, for example, {.code hour > 30}."), call = call)
  text
}

act_put_back <- function(state, rows = NULL) {
  need_problem(state)
  state$problem <- put_back(state$problem, if (length(rows)) typed_rows(rows, nrow(state$data)))
  after_act(state, "Rows brought back", if (length(rows)) paste0("put_back(c(", paste(unlist(rows), collapse = ", "), "))") else "put_back()")
}

act_derive <- function(state, name, text) {
  need_problem(state)
  check_typed(name)
  check_typed(text)
  if (!grepl("^[A-Za-z][A-Za-z0-9_.]*$", name)) refuse("argument", c("A derived quantity needs a name of letters, digits and underscores.", "x" = "It is {.val {substr(name, 1, 60)}}."))
  state$derived[[name]] <- derived_text(text, state$problem)
  after_act(state, paste0("Derived: ", name, " = ", state$derived[[name]]), paste0("derive(", name, " = ", state$derived[[name]], ")"))
}

act_drop_derived <- function(state, name) {
  state$derived[[check_typed(name)]] <- NULL
  after_act(state, paste("Without the derived", name), "")
}

# Read in the model language: names of parameters and functions only.
derived_text <- function(text, problem, call = rlang::caller_env()) {
  expr <- tryCatch(rlang::parse_expr(text), error = function(e) NULL)
  if (is.null(expr)) refuse("model", "{.val {substr(text, 1, 60)}} cannot be read as an expression.", call = call)
  names <- value_names(expr, call)
  for (name in setdiff(names, c(names(problem$start), names(model_constants(problem))))) {
    refuse("model", c("There is no parameter {.field {name}}.", suggestion(name, names(problem$start), "parameters")), call = call)
  }
  expression_text(expr)
}

model_constants <- function(problem) problem$model$constants

act_title <- function(state, text) {
  state$title <- check_typed(text)
  after_act(state, paste("Title:", text), "")
}

# Runs.

act_run <- function(state, id, scope, settings = list(), iterations = Inf) {
  need_problem(state)
  asked <- asked_run_at_page(state, id, scope, checked_settings(settings), iterations)
  state$asked <- c(state$asked, list(asked))
  after_act(state, paste0("Run ", asked$label, ": ", told_run(asked)), run_code(asked))
}

# The same run taken further.
act_further <- function(state, label, iterations) {
  place <- match(label, run_labels_at_page(state))
  asked_of(state, label)
  state$asked[[place]]$iterations <- state$asked[[place]]$iterations + iterations
  after_act(state, paste0("Run ", label, ": ", if (is.finite(iterations)) count_of(iterations, "iteration") else "to the end"), run_code(state$asked[[place]]))
}

act_remove_run <- function(state, label) {
  asked_of(state, label)
  state$asked <- Filter(function(one) one$label != label, state$asked)
  after_act(state, paste("Run", label, "removed from the list"), "")
}

page_settings <- list(solver = "text", seed = "whole", starts = "whole")

checked_settings <- function(settings, call = rlang::caller_env()) {
  for (name in setdiff(names(settings), names(page_settings))) refuse("argument", "There is no setting {.field {name}}.", call = call)
  settings <- Filter(function(x) length(x) == 1 && !is.na(x) && nzchar(x), settings)
  for (name in names(settings)) {
    if (page_settings[[name]] == "text") check_typed(settings[[name]], call)
    else {
      value <- check_page_number(settings[[name]], paste("The setting", name), call)
      if (value != round(value) || value < 0 || value > 1e6) refuse("argument", "The setting {.field {name}} must be a whole number.", call = call)
      settings[[name]] <- value
    }
  }
  settings
}

told_run <- function(asked) {
  said <- switch(asked$scope,
    local = "from the start", global = "over the whole box", many = paste("from", asked$settings$starts, "starts"), groups = "each group"
  )
  paste0(said, if (!is.null(asked$settings$solver)) paste0(" by ", asked$settings$solver), if (is.finite(asked$iterations)) paste0(", ", count_of(asked$iterations, "iteration")))
}
