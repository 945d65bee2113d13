# Least squares in which replicates tell how large the noise is: readings at the same settings have one standard deviation, pooled over all
# settings, whose degrees of freedom go with it into the intervals.

is_pooled_call <- function(expr) rlang::is_call(expr, "pooled")

new_pooled_squares <- function(expr, call) {
  given <- as.list(expr)[-1]
  by <- if (length(given) == 1 && rlang::names2(given) %in% c("", "by")) names_in(given[[1]])
  if (length(by) == 0 || anyNA(by)) {
    refuse("criterion", c("{.fn pooled} needs the column, or columns, whose readings are replicates where they agree.", "x" = "It stands as {.code {expression_text(expr)}}.", "i" = "For example {.code least_squares(sd = pooled(by = dose))}."), call = call)
  }
  new_criterion(
    c("pooled", "squares"), "least_squares", form = "squares", squares = TRUE, residual_kinds = residual_kinds, test = "F", weights = NULL, sd = NULL, relative = NULL, pooled = by
  )
}

pooled_text <- function(criterion) paste0("pooled(by = ", if (length(criterion$pooled) > 1) paste0("c(", paste(criterion$pooled, collapse = ", "), ")") else criterion$pooled, ")")

#' @export
format.tundrel_criterion_pooled <- function(x, ...) paste("least squares, sd =", pooled_text(x))

# The problem with the standard deviation of its replicates, where its criterion takes that.
fewest_pooled <- 2

with_pooled_spread <- function(problem, call = rlang::caller_env()) {
  by <- problem$criterion$pooled
  if (is.null(by) || !is.null(problem$criterion$sd)) return(problem)
  if (has_responses(problem)) refuse("criterion", "Replicates are pooled for one response.", call = call)
  data <- problem$measurements
  for (name in setdiff(by, names(data))) refuse("measurements", c("There is no column {.field {name}}, by which replicates are pooled.", suggestion(name, names(data), "columns")), call = call)
  rows <- choose_rows(problem)$rows
  readings <- evaluate_on_rows(problem$model$response, problem, rows)
  label <- row_labels(data, by, rows)
  freedom <- length(rows) - length(unique(label))
  if (freedom < fewest_pooled) {
    refuse("measurements", c("There are too few replicates to pool.", "x" = "{count_of(length(rows), 'row')} {cli::qty(length(rows))}{?has/have} {length(unique(label))} different settings of {.field {by}}.", "i" = "State the {.arg sd}, or leave it out."), call = call)
  }
  squares <- sum((readings - stats::ave(readings, label))^2)
  if (!(squares > 0)) refuse("measurements", c("The replicates of {.field {by}} are all alike: they show no noise.", "i" = "Were readings rounded or copied? State the {.arg sd}, or leave it out."), call = call)
  problem$criterion$sd <- sqrt(squares / freedom)
  problem$criterion$pooled_freedom <- freedom
  problem
}

# The replicates say how large the noise is, not the residuals.
noise_scale.tundrel_criterion_pooled <- function(criterion, value, residuals, freedom, n_estimated) 1
states_sd.tundrel_criterion_pooled <- function(criterion, unknown) TRUE

stored_parts.tundrel_criterion_pooled <- function(criterion) {
  list(expressions = list(sd = pooled_text(criterion)), pooled_sd = if (!is.null(criterion$sd)) exact(criterion$sd), pooled_freedom = criterion$pooled_freedom)
}
