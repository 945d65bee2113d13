#' Models to choose from
#'
#' The catalogue holds common models: each says what its parameters mean, of which kind they are, which
#' conditions come naturally, and where the formula comes from. `model()` gives one of them,
#' `read_model()` one that was kept in a file by `save_model()`: the same format, checked when it is
#' read, and never code. Hand it to [pose()] with the columns its predictors and response stand for.
#'
#' @param about \[character(1)] Words of the field, such as `"growth"` or `"binding"`: those models are listed whose names, titles, uses or
#'   parameters have all of them. By default all models.
#' @param name \[character(1)] Name of a model in the catalogue.
#' @param path \[character(1)] File to read or write, ending in `.yaml`.
#' @param x A model, or a problem whose model and conditions are to be kept.
#' @param title \[character(1)] What the model is called.
#' @param meaning \[character] What parameters mean, named by parameter.
#' @param reference \[character(1)] Where the formula comes from.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return `models()`: a tibble with the columns `model`, `title`, `formula` and `parameters`. `model()` and `read_model()`: an
#'   object of class `tundrel_model`. `save_model()`: `path`, invisibly.
#' @section Errors: `tundrel_error_model` for an unknown name; `tundrel_error_file` for a file that
#'   does not hold a model, has a key that models do not know, or more than the model language.
#' @export
#' @examplesIf requireNamespace("yaml", quietly = TRUE)
#' models()
#' models("growth")
#' model("saturating_uptake")
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, model("cooperative_binding"), x = light, y = uptake)
#' problem |> start_from(suggest_start(problem))
models <- function(about = NULL, ...) {
  refuse_unknown(...)
  names <- catalogue_names()
  all <- lapply(names, model)
  found <- vapply(seq_along(all), function(i) speaks_of(c(names[i], catalogue_words(all[[i]])), about), logical(1))
  if (!any(found)) refuse("model", c("No model is about {.val {about}}.", "i" = "{.fn models} lists all {length(names)}."))
  names <- names[found]
  all <- all[found]
  tibble(
    model = names, title = vapply(all, `[[`, character(1), "title"),
    formula = vapply(all, function(m) expression_text(m$formula), character(1)),
    parameters = vapply(all, function(m) paste(names(m$parameters), collapse = ", "), character(1))
  )
}

catalogue_words <- function(model) c(model$title, unlist(model$used_for), names(model$parameters), vapply(model$parameters, function(p) p$meaning %||% "", ""))

# Whether texts have all words, or their stems: "decays" finds "decay".
speaks_of <- function(texts, about) {
  if (is.null(about)) return(TRUE)
  if (!rlang::is_string(about)) refuse("model", "{.arg about} must be one text.")
  words <- strsplit(tolower(about), "[^a-z0-9]+")[[1]]
  words <- sub("(ing|s)$", "", words[nzchar(words)])
  all(vapply(words, function(word) any(grepl(word, tolower(texts), fixed = TRUE)), logical(1)))
}

catalogue_folder <- function() system.file("models", package = "tundrel")
catalogue_names <- function() recalled(catalogue_remembered, "names", sort(sub("\\.yaml$", "", list.files(catalogue_folder(), "\\.yaml$")), method = "radix"))

# The catalogue's models that were read, by name.
catalogue_remembered <- new.env(parent = emptyenv())

#' @rdname models
#' @export
model <- function(name, ...) {
  refuse_unknown(...)
  known <- catalogue_names()
  if (!rlang::is_string(name) || !name %in% known) {
    refuse("model", c("There is no model {.val {name}}.", suggestion(as.character(name)[1], known, "models")))
  }
  catalogue_remembered$models[[name]] <- catalogue_remembered$models[[name]] %||% read_model(file.path(catalogue_folder(), paste0(name, ".yaml")))
  catalogue_remembered$models[[name]]
}

model_keys <- c("title", "used_for", "formula", "dynamics", "parameters", "conditions", "range_factors", "constants", "reference", "example")

# Files and formulas larger than any honest one are not looked into.
most_model_bytes <- 1e5
most_formula_characters <- 1e4
# One that a run holds was written by no person.
most_stored_characters <- 2e5

#' @rdname models
#' @export
read_model <- function(path, ...) {
  refuse_unknown(...)
  if (!rlang::is_string(path) || !file.exists(path) || dir.exists(path)) refuse("file", c("There is no model file {.file {path}}.", file_meant(path)))
  if (file.size(path) > most_model_bytes) {
    refuse("file", "{.file {path}} is too large to be a model ({format(file.size(path), big.mark = ',')} bytes).")
  }
  raw <- read_yaml_file(path, "file")
  if (!is.list(raw) || !rlang::is_named(raw)) refuse("file", "{.file {path}} does not hold a model.")
  for (key in setdiff(names(raw), model_keys)) {
    refuse("file", c("{.file {path}} has a key that models do not know: {.field {key}}.", suggestion(key, model_keys, "keys")))
  }
  if (!rlang::is_string(raw$formula)) refuse("file", "{.file {path}} lacks the key {.field formula}.")
  check_model_keys(raw, path)
  new_model(raw, formula_from_text(raw$formula, path), dynamics_of_file(raw$dynamics, path))
}

# Every key of a model's file holds what it is for.
check_model_keys <- function(raw, path, call = rlang::caller_env()) {
  text <- function(x) is.null(x) || (is.atomic(x) && length(x) == 1 && !is.na(x) && nchar(x) <= most_formula_characters)
  named <- function(x, test) is.null(x) || length(x) == 0 || (is.list(x) && rlang::is_named(x) && all(vapply(x, test, NA)))
  number <- function(x) is.numeric(x) && length(x) == 1 && is.finite(x)
  sound <- c(
    title = text(raw$title), reference = text(raw$reference),
    parameters = named(raw$parameters, function(p) is.null(p) || named(p, text)), dynamics = is.null(raw$dynamics) || is_planned_dynamics(raw$dynamics),
    conditions = all(vapply(as.list(unlist(raw$conditions)), rlang::is_string, NA)), used_for = all(vapply(as.list(unlist(raw$used_for)), rlang::is_string, NA)), constants = named(raw$constants, number),
    range_factors = named(raw$range_factors, function(r) length(r) == 2 && is.numeric(unlist(r)) && all(is.finite(unlist(r)))), example = is.null(raw$example) || (is.list(raw$example) && rlang::is_named(raw$example))
  )
  if (all(sound)) return(invisible())
  refuse("file", "The key {.field {names(sound)[!sound][1]}} of {.file {path}} does not hold what a model says there.", call = call)
}

# Parses the text of a formula and checks that it holds the model language only.
formula_from_text <- function(text, path, most = most_formula_characters, call = rlang::caller_env()) {
  if (!rlang::is_string(text) || nchar(text) > most) {
    refuse("file", "The formula in {.file {path}} must be one text of at most {most} characters.", call = call)
  }
  expr <- tryCatch(rlang::parse_expr(text), error = function(e) NULL)
  if (!rlang::is_call(expr, "~", n = 2)) {
    refuse("file", c(
      "The formula in {.file {path}} must have a response and an expression.",
      "x" = "It is {.val {substr(text, 1, 60)}}.", "i" = "For example: y ~ top * x / (half + x)"
    ), call = call)
  }
  for (side in as.list(expr)[2:3]) check_language(side, call)
  rlang::new_formula(expr[[2]], expr[[3]], env = emptyenv())
}

check_language <- function(expr, call = rlang::caller_env()) {
  for (part in real_parts(without_brackets(written_shapes(expr, call)), call)) value_names(part, call)
}

dynamics_of_file <- function(given, path, call = rlang::caller_env()) {
  dynamics <- dynamics_of_plan(given, path, call)
  for (expr in c(dynamics$rates, lapply(dynamics$begin, looked_at_first))) check_language(expr, call)
  dynamics
}

new_model <- function(raw, formula, dynamics = NULL) {
  structure(
    list(
      title = as.character(raw$title %||% expression_text(formula)), used_for = as.character(unlist(raw$used_for)), formula = formula, dynamics = dynamics,
      parameters = raw$parameters, conditions = as.character(unlist(raw$conditions)), range_factors = raw$range_factors, constants = raw$constants,
      reference = as.character(raw$reference %||% ""), example = raw$example
    ),
    class = "tundrel_model"
  )
}

#' @rdname models
#' @export
save_model <- function(x, path, title = NULL, meaning = character(), reference = "", ...) {
  refuse_unknown(...)
  need_package("yaml", "to write models")
  if (inherits(x, "tundrel_problem")) x <- model_of_problem(x, title, meaning, reference)
  if (!inherits(x, "tundrel_model")) {
    refuse("model", c("{.arg x} must be a model or a problem.", "x" = "It is {.obj_type_friendly {x}}."))
  }
  raw <- unclass(x)
  raw$formula <- expression_text(x$formula)
  raw$dynamics <- planned_dynamics(x$dynamics)
  raw$conditions <- as.list(x$conditions)
  raw <- Filter(length, raw)
  write_text(path, sub("\n$", "", yaml::as.yaml(raw)))
}

model_of_problem <- function(problem, title, meaning, reference, call = rlang::caller_env()) {
  if (!is_compiled(problem)) {
    refuse("model", c(
      "A model file holds the model language only, and this problem calls a function of your own.",
      "i" = "Write the function out as a formula to keep it."
    ), call = call)
  }
  parameters <- names(problem$start)
  described <- lapply(stats::setNames(nm = parameters), function(p) list(meaning = if (p %in% names(meaning)) meaning[[p]] else ""))
  new_model(
    list(
      title = title, parameters = described, conditions = condition_texts(problem),
      constants = as.list(problem$model$constants), reference = reference
    ),
    problem$model$formula, problem$model$dynamics$source
  )
}

#' @export
format.tundrel_model <- function(x, ...) paste0("model: ", x$title, ": ", expression_text(x$formula))

#' @export
print.tundrel_model <- function(x, ...) {
  cat(x$title, "\n", paste0("  ", c(expression_text(x$formula), if (!is.null(x$dynamics)) format(x$dynamics)), "\n"), "\n", sep = "")
  parts <- function(key) vapply(x$parameters, function(p) as.character(p[[key]] %||% ""), character(1))
  if (length(x$parameters)) {
    cat_table(drop_empty(tibble(parameter = names(x$parameters), meaning = parts("meaning"), `of the kind` = parts("unit"))))
  }
  if (length(x$conditions)) cat("\nConditions: ", paste(x$conditions, collapse = "; "), "\n", sep = "")
  if (nzchar(x$reference)) cat("Reference:  ", x$reference, "\n", sep = "")
  invisible(x)
}

# Constants as numbers in the formula.
with_constants_written <- function(model) {
  model$formula <- rlang::new_formula(rlang::f_lhs(model$formula), substituted(rlang::f_rhs(model$formula), model$constants), env = emptyenv())
  for (part in c("rates", "begin")) if (!is.null(model$dynamics)) model$dynamics[[part]] <- lapply(model$dynamics[[part]], substituted, values = model$constants)
  model$constants <- NULL
  model
}

# A model's own names for columns: those that are neither parameters nor constants nor states.
model_names <- function(model) {
  dynamics <- model$dynamics
  used <- unique(c(free_names(model$formula), dynamics$along, unlist(lapply(c(dynamics$rates, dynamics$begin), free_names))))
  response <- all.vars(model$formula[[2]])
  setdiff(used, c(names(model$parameters), names(model$constants), setdiff(names(dynamics$rates), response), "pi"))
}

# The same model with columns in the place of its own names.
model_for_columns <- function(model, columns, data, call = rlang::caller_env()) {
  own <- model_names(model)
  for (name in setdiff(names(columns), own)) {
    refuse("model", c("The model has no {.field {name}} to stand for a column.", suggestion(name, own, "names")), call = call)
  }
  wanted <- setdiff(own, c(names(columns), names(data)))
  if (length(wanted)) {
    refuse("model", c(
      "Which column is {.field {wanted[1]}} of the model?",
      "i" = "Say it as in {.code pose(data, model, {paste0(own, ' = ...', collapse = ', ')})}."
    ), call = call)
  }
  swap <- lapply(columns, as.symbol)
  states <- names(model$dynamics$rates)
  inside <- swap[setdiff(names(swap), states)]
  model$formula <- rlang::new_formula(substituted(rlang::f_lhs(model$formula), swap), substituted(rlang::f_rhs(model$formula), inside), env = emptyenv())
  if (is.null(model$dynamics)) return(model)
  for (part in c("rates", "begin")) model$dynamics[[part]] <- lapply(model$dynamics[[part]], substituted, values = inside)
  column_for <- function(name) if (name %in% names(columns)) columns[[name]] else name
  model$dynamics$along <- column_for(model$dynamics$along)
  if (!is.null(model$dynamics$events)) names(model$dynamics$events) <- vapply(names(model$dynamics$events), column_for, "")
  if (!is.null(model$dynamics$by)) model$dynamics$by <- vapply(model$dynamics$by, column_for, "", USE.NAMES = FALSE)
  model
}
