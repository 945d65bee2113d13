#' What do the data fix?
#'
#' Directions in which parameters can be changed together, each in shares of its own value, from the one that the data know
#' least to the one they know best. Where a direction is not determined, its `reading` says in words which combination is:
#' "only the product a * b is known". Use it before an experiment is repeated: it tells what to measure, or what to hold.
#'
#' @param run A run, from [fit_local()] or another fit.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A tibble of class `tundrel_support`, a row a direction: `direction` (1 the least known), `relative_error` (the
#'   standard error of a change along it, as a share; infinite where the data do not determine it), `parameters` (those that
#'   move, with their shares), `reading`.
#' @section Errors: `tundrel_error_argument` for what is no run; `tundrel_error_criterion` where nothing is known of the noise.
#' @references Raue and others (2009) Bioinformatics 25, 1923-1929, on parameters that cannot be identified. Belsley, Kuh and
#'   Welsch (1980) Regression Diagnostics, chapter 3.
#' @seealso [correlation_table()], [joint_region()]
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ gain * top * light / (half + light) - dark) |>
#'   start_from(gain = 2, top = 4, half = 150, dark = 1) |>
#'   fit_local() |>
#'   data_support()
data_support <- function(run, ...) {
  refuse_unknown(...)
  check_run(run)
  warn_unconverged(run)
  scale <- covariance_scale(run)
  if (!isTRUE(scale >= 0)) {
    refuse("criterion", c("Nothing is known of the noise here.", "i" = "There must be more rows than parameters, and a criterion that says what noise is."))
  }
  moving <- names(run$at_bound)[run$at_bound == ""]
  if (length(moving) == 0) refuse("solver", "Every free parameter rests on a bound: the data move none.")
  size <- abs(run$estimate[moving])
  typical <- stats::setNames(compiled_at_start(run)$typical, names(run$estimate))[moving]
  size[size < 1e-6 * typical] <- typical[size < 1e-6 * typical]
  factor <- run$factor[, names(run$estimate) %in% moving, drop = FALSE] %*% diag(size, length(size))
  if (!all(is.finite(factor))) refuse("solver", c("The curvature at the answer is not known.", "i" = "See why by printing the run."))
  found <- weak_directions(factor, moving)
  error <- ifelse(found$known, scale / found$size, Inf)
  rows <- lapply(rev(seq_along(error)), function(k) {
    direction <- stats::setNames(found$directions[, k], moving)
    tibble(relative_error = error[k], parameters = direction_text(direction), reading = direction_reading(run, direction, size, error[k]))
  })
  table <- tibble(direction = seq_along(rows), do.call(rbind, rows))
  structure(table, class = c("tundrel_support", class(table)), held = setdiff(names(run$estimate), moving))
}

# Singular directions, best known first; the rank is judged with columns of one length, so that units do not matter.
weak_directions <- function(factor, names) {
  norms <- sqrt(colSums(factor^2))
  norms[norms == 0] <- 1
  even <- svd(factor %*% diag(1 / norms, length(norms)))$d
  rank <- sum(even > 10 * length(names) * .Machine$double.eps * even[1])
  found <- svd(factor, nv = length(names))
  list(size = found$d, directions = found$v, known = seq_along(found$d) <= rank)
}

# Parameters whose share in a direction is below this of the largest do not count.
small_share <- 0.15

direction_text <- function(direction) {
  direction <- direction / direction[which.max(abs(direction))]
  counts <- abs(direction) >= small_share
  shown <- direction[counts][order(-abs(direction[counts]))]
  paste0(names(shown), " ", ifelse(shown > 0, "+", "-"), formatC(100 * abs(shown), format = "f", digits = 0), " %", collapse = ", ")
}

# From this relative error on a direction is as good as unknown, and from this on it is known poorly.
unknown_beyond <- 1
poor_beyond <- 0.25

direction_reading <- function(run, direction, size, error) {
  shares <- direction / direction[which.max(abs(direction))]
  names <- names(shares)[abs(shares) >= small_share]
  names <- names[order(-abs(shares[names]))]
  if (error <= unknown_beyond) {
    return(if (error <= poor_beyond) paste0("known to ", format_number(100 * error, 2), " %") else paste0("known poorly, to ",
      format_number(100 * error, 2), " %"))
  }
  how <- if (is.infinite(error)) "not determined by the data" else "hardly determined by the data"
  if (length(names) == 1) {
    return(paste0(names, " is ", how, if (names %in% run$without_effect) ": it does not act on the fit" else ": hold it, or measure where it acts"))
  }
  if (length(names) == 2) {
    told <- known_combination(run, names, shares, size)
    if (!is.null(told)) return(told)
  }
  step <- 0.1 * shares[names]
  others <- paste0(names[-1], " ", ifelse(step[-1] > 0, "grows", "shrinks"), " by ", format_number(100 * abs(step[-1]), 2), " %")
  paste0(and_list(names), " are ", how, " one by one: where ", names[1], " grows by 10 % and ", and_list(others), ", the fit hardly changes")
}

# Of two parameters that trade off, the combination that stays known when they move far along it.
known_combination <- function(run, names, shares, size) {
  compiled <- compiled_at_answer(run)
  names <- intersect(names(run$estimate), names)
  a <- run$estimate[[names[1]]]
  b <- run$estimate[[names[2]]]
  slope <- shares[[names[2]]] / shares[[names[1]]]
  side <- sign(a * b * slope)
  step <- size[[names[1]]]
  moves <- list(
    list(what = paste("the", if (slope < 0) "product" else "ratio", product_text(names, -1 / slope)), to = c(2 * a, b * 2^slope),
      means = "changing both by shares that leave it the same"),
    list(
      what = if (side < 0) paste("the sum", paste(names, collapse = " + ")) else paste("the difference", paste(names, collapse = " - ")),
      to = c(a + step, b + side * step), means = if (side < 0) "adding to one what the other loses" else "adding the same to both"
    )
  )
  rises <- vapply(moves, function(move) {
    value <- core_values(compiled, matrix(replace(run$estimate, match(names, names(run$estimate)), move$to)))
    (value - in_users_sign(run$problem, run$value)) * root_scale(run)
  }, numeric(1))
  # exactly, or within chance of one standard error
  exact <- which(rises < 1e-6)
  near <- which(rises < 1)
  best <- c(exact, near)[1]
  if (is.na(best)) return(NULL)
  paste0("only ", moves[[best]]$what, " is known: ", moves[[best]]$means, if (length(exact)) " changes nothing" else " hardly changes the fit")
}

# "a * b", "a / b", "a * b^2"
product_text <- function(names, power) {
  exponent <- if (abs(abs(power) - 1) < 0.02) "" else paste0("^", format_number(abs(power), 2))
  paste0(names[1], if (power > 0) " * " else " / ", names[2], exponent)
}

#' @export
print.tundrel_support <- function(x, ...) {
  if (!all(c("direction", "relative_error", "parameters", "reading") %in% names(x))) return(NextMethod())
  cat("What the data determine, from the least known direction to the best\n\n")
  shown <- x
  shown$relative_error <- ifelse(is.infinite(x$relative_error), "none", paste(format_number(100 * x$relative_error, 2), "%"))
  names(shown)[2] <- "error"
  cat_table(shown)
  held <- attr(x, "held")
  if (length(held)) cat("\n",
    paste0(strwrap(paste0(and_list(held), if (length(held) == 1) " rests on a bound and is" else " rest on bounds and are", " left out."), 80), "\n"), sep = "")
  invisible(x)
}
