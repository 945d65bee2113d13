# Contradictions among linear conditions, by elimination (Fourier, Motzkin): every row
# coefficients . p + constant >= 0 (or > 0) remembers the conditions it came from.

# Combinations may grow without end; beyond this many rows nothing is claimed.
most_rows <- 3000

# The texts of a smallest set of conditions that cannot hold together, or NULL.
clashing_conditions <- function(conditions, parameters) {
  linear <- Filter(function(c) !is.null(c$form), conditions)
  if (length(linear) == 0 || !contradictory(linear, parameters)) return(NULL)
  # Leave out one after another whatever is not needed for the contradiction.
  kept <- linear
  for (condition in linear) {
    without <- Filter(function(c) !identical(c, condition), kept)
    if (length(without) && contradictory(without, parameters)) kept <- without
  }
  unique(vapply(kept, `[[`, character(1), "text"))
}

contradictory <- function(conditions, parameters) {
  # a condition may be older than some of the parameters
  rows <- lapply(unlist(lapply(conditions, inequality_rows), recursive = FALSE), function(row) {
    row$k <- stats::setNames(ifelse(parameters %in% names(row$k), row$k[parameters], 0), parameters)
    row
  })
  for (step in seq_along(parameters)) {
    if (any(vapply(rows, impossible_row, logical(1)))) return(TRUE)
    left <- parameters[vapply(parameters, function(p) any(vapply(rows, function(r) r$k[[p]] != 0, logical(1))), logical(1))]
    if (length(left) == 0) return(FALSE)
    growth <- vapply(left, function(p) {
      signs <- vapply(rows, function(r) sign(r$k[[p]]), numeric(1))
      sum(signs > 0) * sum(signs < 0)
    }, numeric(1))
    rows <- eliminate(rows, left[[which.min(growth)]])
    if (length(rows) > most_rows) return(FALSE)
  }
  any(vapply(rows, impossible_row, logical(1)))
}

inequality_rows <- function(condition) {
  form <- condition$form
  if (!all(is.finite(c(form$coefficients, form$constant)))) return(infinite_rows(condition))
  row <- function(sign) {
    scale <- max(abs(form$coefficients))
    list(k = sign * form$coefficients / scale, constant = sign * form$constant / scale, strict = condition$open)
  }
  switch(condition$sense, ">=" = list(row(1)), "<=" = list(row(-1)), "==" = list(row(1), row(-1)))
}

# A limit at infinity either says nothing or cannot be met.
infinite_rows <- function(condition) {
  outwards <- switch(condition$sense, ">=" = condition$form$constant, "<=" = -condition$form$constant, "==" = -Inf)
  if (identical(outwards, Inf)) return(list())
  list(list(k = 0 * condition$form$coefficients, constant = -1, strict = FALSE))
}

impossible_row <- function(row) {
  all(row$k == 0) && (row$constant < 0 || (row$strict && row$constant == 0))
}

eliminate <- function(rows, parameter) {
  k <- vapply(rows, function(r) r$k[[parameter]], numeric(1))
  out <- rows[k == 0]
  for (up in rows[k > 0]) {
    for (down in rows[k < 0]) {
      wu <- -down$k[[parameter]]
      wd <- up$k[[parameter]]
      combined <- wu * up$k + wd * down$k
      combined[abs(combined) < 1e-12 * pmax(abs(wu * up$k), abs(wd * down$k))] <- 0
      constant <- wu * up$constant + wd * down$constant
      if (abs(constant) < 1e-12 * max(abs(wu * up$constant), abs(wd * down$constant))) constant <- 0
      combined[[parameter]] <- 0
      out <- c(out, list(list(k = combined, constant = constant, strict = up$strict || down$strict)))
    }
  }
  out
}
