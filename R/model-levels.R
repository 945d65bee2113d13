# Parameters with a value for each level of a column: `top[site]` in a model, `top[fen]` for one of them elsewhere.

# Few enough for a column of zeros and ones each.
most_levels <- 200

# Finds every `name[column]` of a model. Gives the expression with a sum over the levels in their place, and `levels`: by name, the columns,
# the labels (a table, a row a level), and the parameters' names.
written_levels <- function(expr, data, usable, call = rlang::caller_env()) {
  found <- list()
  open <- function(e) {
    if (!rlang::is_call(e, "[")) return(e)
    one <- levels_of(e, data, usable, call)
    before <- found[[one$name]]
    if (!is.null(before) && !identical(before$columns, one$columns)) {
      refuse("model", "{.field {one$name}} stands with {.field {before$columns}} in one place and with {.field {one$columns}} in another: give one of them another name.", call = call)
    }
    found[[one$name]] <<- one
    call("(", one$sum)
  }
  expr <- fold_expression(expr, identity, with_arguments, open, call = call)
  bare <- intersect(names(found), all.vars(expr))
  if (length(bare)) {
    refuse("model", c(
      "{.field {bare[1]}} stands alone and with {.field [{paste(found[[bare[1]]]$columns, collapse = ', ')}]} in the same model.",
      "i" = "Give one of them another name."
    ), call = call)
  }
  list(expression = expr, levels = found)
}

# For a look at the other calls of a model whose table is not at hand: `top[site]` as `top`.
without_brackets <- function(expr) {
  open <- function(e) if (rlang::is_call(e, "[") && all(vapply(as.list(e)[-1], is.symbol, NA))) e[[2]] else e
  fold_expression(expr, identity, with_arguments, open)
}

levels_of <- function(expr, data, usable, call) {
  name <- expr[[2]]
  columns <- as.list(expr)[-(1:2)]
  text <- expression_text(expr)
  if (!is.symbol(name) || as.character(name) %in% names(data) || length(columns) == 0 || !all(vapply(columns, is.symbol, NA))) {
    refuse("model", c(
      "{.code {text}} is no parameter with levels.", "i" = "Write a parameter and, in brackets, the column whose levels have a value each, as in {.code top[site]}."
    ), call = call)
  }
  columns <- vapply(columns, as.character, "")
  for (column in columns) check_level_column(column, data, text, call)
  labels <- level_labels(data, columns)
  table <- unique(labels[usable & stats::complete.cases(labels), , drop = FALSE])
  table <- table[do.call(order, unname(Map(level_order, table, lapply(columns, function(column) data[[column]])))), , drop = FALSE]
  rownames(table) <- NULL
  if (nrow(table) > most_levels) {
    refuse("model", c(
      "{.code {text}} has {nrow(table)} levels, and at most {most_levels} fit into one model.",
      "i" = "For a curve each, pose by group: {.code pose(data, ..., by = {columns[1]})}, then {.code fit_each(problem, shared = ...)}."
    ), call = call)
  }
  lone <- setdiff(do.call(paste, c(unname(unique(labels[stats::complete.cases(labels), , drop = FALSE])), sep = ", ")), level_texts(table))
  if (length(lone)) {
    cli::cli_inform(c("!" = "No usable row of {.field {columns}} {.val {lone}}: {cli::qty(lone)}{?it has/they have} no {.field {as.character(name)}}."),
      class = "tundrel_message_levels")
  }
  names <- paste0(as.character(name), "[", level_texts(table), "]")
  indicator <- function(k) Reduce(function(a, b) call("*", a, b), Map(function(column, value) as.symbol(expression_text(call("==", as.symbol(column), value))), columns, table[k, ]))
  terms <- lapply(seq_along(names), function(k) call("*", as.symbol(names[k]), indicator(k)))
  list(name = as.character(name), columns = columns, labels = table, names = names, sum = Reduce(function(a, b) call("+", a, b), terms))
}

check_level_column <- function(column, data, text, call) {
  if (!column %in% names(data)) {
    refuse("model", c("{.code {text}} names {.field {column}}, which is no column.", suggestion(column, names(data), "columns")), call = call)
  }
  x <- data[[column]]
  if (is.numeric(x) && any(x != round(x), na.rm = TRUE)) {
    refuse("model", c(
      "{.code {text}} needs a column of levels, and {.field {column}} holds numbers with fractions.",
      "i" = "Levels are texts, whole numbers, or yes and no. Make a column of classes first, if that is meant."
    ), call = call)
  }
}

level_labels <- function(data, columns) {
  as.data.frame(stats::setNames(lapply(columns, function(column) as.character(data[[column]])), columns), stringsAsFactors = FALSE)
}

level_texts <- function(labels) do.call(paste, c(unname(as.list(labels)), sep = ", "))

# Factors keep their order, numbers theirs, texts that of the alphabet.
level_order <- function(label, column) if (is.factor(column)) match(label, levels(column)) else if (is.numeric(column)) as.numeric(label) else rank(label)

# `top[fen]` as it is written outside a model, made one name. Levels that are not there are named.
with_level_names <- function(expr, parameters, call = rlang::caller_env()) {
  if (!is.call(expr)) return(expr)
  if (rlang::is_call(expr, "[") && is.symbol(expr[[2]])) {
    base <- as.character(expr[[2]])
    mine <- parameters[startsWith(parameters, paste0(base, "["))]
    if (length(mine)) {
      label <- paste(vapply(as.list(expr)[-(1:2)], function(part) if (is.character(part)) part else if (is.symbol(part)) as.character(part) else expression_text(part), ""), collapse = ", ")
      name <- paste0(base, "[", label, "]")
      if (!name %in% mine) {
        refuse("model", c("{.field {base}} has no level {.val {label}}.", suggestion(name, mine, "parameters"), "i" = "{.field {base}} alone stands for all levels."), call = call)
      }
      return(as.symbol(name))
    }
  }
  expr[-1] <- lapply(as.list(expr)[-1], function(part) if (rlang::is_missing(part)) part else with_level_names(part, parameters, call))
  expr
}

# The parameters that a bare name stands for: itself, or one for each level.
named_levels <- function(name, parameters) {
  if (name %in% parameters) return(name)
  parameters[startsWith(parameters, paste0(name, "["))]
}

# Sentences about a bare name, one for each of its levels; several names with the same levels go together.
for_each_level <- function(expr, parameters, call = rlang::caller_env()) {
  bare <- Filter(function(name) !name %in% parameters && length(named_levels(name, parameters)), all.vars(expr))
  if (length(bare) == 0) return(list(expr))
  labels <- lapply(bare, function(name) sub("^[^[]*", "", named_levels(name, parameters)))
  if (!all(vapply(labels, identical, NA, labels[[1]]))) {
    refuse("condition", c("{.field {bare}} have different levels.", "i" = "Say which are meant, as in {.code {bare[1]}{labels[[1]][1]} > 0}."), call = call)
  }
  lapply(labels[[1]], function(label) rlang::inject(substitute(!!expr, stats::setNames(lapply(paste0(bare, label), as.symbol), bare))))
}

# As it is written: `top[fen] > 0`, with the name in backticks only where R could not read it else.
with_plain_levels <- function(text) {
  if (!grepl("`", text, fixed = TRUE)) return(text)
  quoted <- regmatches(text, gregexpr("`[^`]+\\[[^`]+\\]`", text))[[1]]
  for (one in quoted) {
    plain <- substr(one, 2, nchar(one) - 1)
    if (rlang::is_call(tryCatch(rlang::parse_expr(plain), error = function(e) NULL), "[")) text <- gsub(one, plain, text, fixed = TRUE)
  }
  text
}

has_levels <- function(problem) length(problem$model$levels) > 0

# Columns whose levels parameters have.
level_columns <- function(model) unique(unlist(lapply(model$levels, `[[`, "columns")))

# A prediction for a level that was not fitted would be one for nothing.
check_level_values <- function(levels, newdata, call) {
  for (one in levels) {
    if (!all(one$columns %in% names(newdata))) next
    texts <- level_texts(level_labels(newdata, one$columns))
    lone <- setdiff(texts[stats::complete.cases(newdata[one$columns])], level_texts(one$labels))
    if (length(lone)) {
      refuse("measurements", c("{.field {one$name}} has no value for {.field {one$columns}} {.val {lone[1]}}.", suggestion(lone[1], level_texts(one$labels), "levels")), call = call)
    }
  }
}

# The predictors that are no comparison with a text.
shape_predictors <- function(problem) Filter(function(name) is.null(text_comparison(name)), problem$model$predictors)

# Values of a bare name go to all its levels.
for_levels <- function(values, parameters) {
  # a level of its own has its own value
  names <- lapply(names(values), function(name) if (name %in% parameters) name else setdiff(named_levels(name, parameters), names(values)))
  names[lengths(names) == 0] <- names(values)[lengths(names) == 0]
  stats::setNames(rep(values, lengths(names)), unlist(names))
}
