# Which runs ended at the same optimum.

# Values are the same that differ by less than this share of what the noise of one reading adds; so are parameters, within this
# share of their standard errors, or of their sizes where there is no noise.
same_noise_share <- 1e-4
same_error_share <- 0.02
same_size_share <- 1e-4

# A letter for each run, in the order given, which is best first; NA where a run stopped short of any optimum.
optima_of <- function(runs) {
  exchange <- exchangeable_terms(runs[[1]]$problem, runs[[1]]$status)
  either <- either_sign(runs[[1]])
  converged <- vapply(runs, `[[`, logical(1), "converged")
  values <- vapply(runs, `[[`, numeric(1), "value")
  founders <- list()
  found_values <- reach <- numeric()
  place <- rep(NA_integer_, length(runs))
  for (i in c(which(converged), which(!converged))) {
    near <- which(abs(found_values - values[i]) <= reach)
    same <- Find(function(k) founders[[k]](runs[[i]]), near)
    if (length(same)) {
      place[i] <- same
    } else if (converged[i]) {
      founders <- c(founders, same_place_as(runs[[i]], exchange, either))
      found_values <- c(found_values, values[i])
      reach <- c(reach, same_value_reach(runs[[i]]))
      place[i] <- length(founders)
    }
  }
  optimum_letter(place)
}

# How far the values of runs may be apart that ended at the same optimum: what the data cannot tell, or rounding.
same_value_reach <- function(run) {
  rounding <- 10 * value_rounding(run)
  if (!has_rows(run$problem)) return(rounding)
  unit <- if (run$problem$criterion$in_noise_units) 1 else run$value / max(1, stats::df.residual(run))
  max(rounding, same_noise_share * unit)
}

# A, B, ..., Z, AA, AB, ...
optimum_letter <- function(place) {
  first <- (place - 1) %/% 26
  out <- paste0(ifelse(first > 0, LETTERS[pmax(first, 1)], ""), LETTERS[(place - 1) %% 26 + 1])
  ifelse(is.na(place), NA_character_, out)
}

# A function that says whether a run of the same value ended where this one did.
same_place_as <- function(run, exchange, either) {
  apart <- parameters_apart(run)
  here <- without_sign(run$estimate, either)
  function(other) {
    # a valley along which the criterion does not change is one optimum
    if (run$undetermined > 0 && other$undetermined > 0) return(TRUE)
    there <- without_sign(other$estimate, either)
    if (!any(apart(here, there))) return(TRUE)
    length(exchange) > 0 && !any(apart(here, exchanged_like(here, there, exchange, apart)))
  }
}

# A function that says which parameters differ significantly: none where the line between two points changes the
# value by less than that, in a criterion that bends as it does here.
parameters_apart <- function(a) {
  reach <- pmax(same_error_share * parameter_errors(a), same_size_share * parameter_reach(a), na.rm = TRUE)
  change <- bent_change(a)
  most <- same_value_reach(a)
  function(x, y) {
    apart <- !(abs(x - y) <= pmax(reach, same_size_share * pmin(abs(x), abs(y))))
    if (any(apart) && isTRUE(change(x - y) <= most)) apart[] <- FALSE
    apart
  }
}

# The sizes at which parameters were expected: never zero.
parameter_reach <- function(run) {
  size <- in_all_parameters(compiled_at_start(run))$typical
  pmax(size, 1e-2 * box_widths(run$problem, names(run$estimate)))
}

parameter_errors <- function(run) {
  if (is.null(run$factor) || !has_rows(run$problem) || is_unjudged(run) || all(run$factor == 0)) return(rep(0, length(run$estimate)))
  variance <- suppressWarnings(diag(free_covariance(run, run$at_bound != "")))
  ifelse(is.finite(variance), sqrt(pmax(variance, 0)), 0)
}

# What a step from the answer changes the value by, from the curvature there.
bent_change <- function(run) {
  if (!has_rows(run$problem)) {
    half <- 0.5 * tryCatch(core_hessian(in_all_parameters(compiled_at_start(run)), run$estimate), error = function(e) matrix(0, 0, 0))
  } else if (is_unjudged(run) || criterion_form(run$problem) == "kinked") {
    half <- matrix(0, 0, 0)
  } else {
    half <- crossprod(run$factor) * if (is_likelihood(run$problem) || !run$problem$criterion$rows_apart) 0.5 else 1
  }
  function(step) if (length(half) == 0) NA_real_ else abs(drop(step %*% half %*% step))
}

box_widths <- function(problem, names) {
  vapply(names, function(name) if (is.null(problem$search_box[[name]])) 0 else diff(as.numeric(problem$search_box[[name]])), numeric(1))
}

# Parameters whose sign makes no difference to the criterion, such as a width that is only squared; not those that make none at all.
either_sign <- function(run) {
  if (!is_compiled(run$problem)) return(character())
  compiled <- compiled_of(run)
  looked_at <- function(x) c(fitted_rows(compiled, x), if (criterion_form(run$problem) != "squares") core_row_losses(compiled, x))
  here <- looked_at(run$estimate)
  same <- function(name, value) isTRUE(all.equal(looked_at(replace(run$estimate, name, value)), here, tolerance = 1e-12))
  Filter(function(name) {
    at <- run$estimate[[name]]
    at != 0 && same(name, -at) && !same(name, 1.1 * at)
  }, names(run$estimate))
}

without_sign <- function(x, either) replace(x, either, abs(x[either]))

# The second point with its terms put into the order in which they are like those of the first.
exchanged_like <- function(x, y, exchange, apart) {
  out <- y
  for (kind in exchange) {
    left <- kind
    for (mine in kind) {
      fits <- which(vapply(left, function(other) {
        there <- x
        there[mine] <- y[other]
        !any(apart(x, there)[mine])
      }, logical(1)))
      if (length(fits) == 0) return(y)
      out[mine] <- y[left[[fits[1]]]]
      left <- left[-fits[1]]
    }
  }
  out
}
