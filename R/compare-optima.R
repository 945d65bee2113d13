# Which runs ended at the same optimum.

# Values that differ by less than this share are the same; so are parameters, on their own scale, or within this
# share of their standard errors.
near_value_share <- 1e-6
same_parameter_share <- 1e-4
same_error_share <- 0.02

# A letter for each run, in the order given, which is best first; NA where a run stopped short of any optimum.
optima_of <- function(runs) {
  exchange <- exchangeable_terms(runs[[1]]$problem, runs[[1]]$status)
  either <- either_sign(runs[[1]])
  converged <- vapply(runs, `[[`, logical(1), "converged")
  values <- vapply(runs, `[[`, numeric(1), "value")
  spread <- diff(range(values[is.finite(values)]))
  founders <- list()
  found_values <- numeric()
  place <- rep(NA_integer_, length(runs))
  for (i in c(which(converged), which(!converged))) {
    near <- which(abs(found_values - values[i]) <= near_value_share * pmax(abs(found_values), abs(values[i])) + 1e-9 * spread)
    same <- Find(function(k) founders[[k]](runs[[i]]), near)
    if (length(same)) {
      place[i] <- same
    } else if (converged[i]) {
      founders <- c(founders, same_place_as(runs[[i]], exchange, either))
      found_values <- c(found_values, values[i])
      place[i] <- length(founders)
    }
  }
  optimum_letter(place)
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
    # a valley in which data do not tell parameters apart is one optimum
    if (run$undetermined > 0 && other$undetermined > 0) return(TRUE)
    there <- without_sign(other$estimate, either)
    if (!any(apart(here, there))) return(TRUE)
    length(exchange) > 0 && !any(apart(here, exchanged_like(here, there, exchange, apart)))
  }
}

# A function that says which parameters differ by more than their scale allows.
parameters_apart <- function(a) {
  error <- parameter_errors(a)
  width <- box_widths(a$problem, names(a$estimate))
  function(x, y) {
    reach <- pmax(same_parameter_share * pmax(abs(x), abs(y)), same_error_share * error, 1e-6 * width, na.rm = TRUE)
    !(abs(x - y) <= reach)
  }
}

parameter_errors <- function(run) {
  if (is.null(run$factor) || is_value_run(run) || is_unjudged(run) || all(run$factor == 0)) return(rep(0, length(run$estimate)))
  variance <- suppressWarnings(diag(free_covariance(run, run$at_bound != "")))
  ifelse(is.finite(variance), sqrt(pmax(variance, 0)), 0)
}

box_widths <- function(problem, names) {
  vapply(names, function(name) if (is.null(problem$search_box[[name]])) 0 else diff(as.numeric(problem$search_box[[name]])), numeric(1))
}

# Parameters whose sign makes no difference to any fitted value, such as a width that is only squared.
either_sign <- function(run) {
  if (!is.null(run$problem$own)) return(character())
  prepared <- prepared_of(run)
  fitted <- fitted_rows(prepared, run$estimate)
  Filter(function(name) {
    turned <- replace(run$estimate, name, -run$estimate[[name]])
    run$estimate[[name]] != 0 && isTRUE(all.equal(fitted_rows(prepared, turned), fitted, tolerance = 1e-12))
  }, names(run$estimate))
}

without_sign <- function(x, either) replace(x, either, abs(x[either]))

# Terms of the model's sum that are the same but for the names of their parameters: for each such kind of term, a list
# of the parameters' names, one vector a term, in the same order.
exchangeable_terms <- function(problem, status) {
  if (!is.null(problem$own)) return(list())
  shared <- all.vars(problem$model$response)
  terms <- model_components(problem$model)
  owned <- lapply(terms, function(term) intersect(all.vars(term), status$free))
  counts <- table(unlist(owned))
  # parameters that stand in one term only
  usable <- vapply(owned, function(names) length(names) > 0 && all(counts[names] == 1) && !any(names %in% shared), logical(1))
  shape <- vapply(seq_along(terms), function(i) {
    places <- lapply(seq_along(owned[[i]]), function(k) as.symbol(paste0(".", k)))
    expression_text(do.call(substitute, list(terms[[i]], stats::setNames(places, owned[[i]]))))
  }, character(1))
  kinds <- split(owned[usable], shape[usable])
  unname(lapply(Filter(function(kind) length(kind) > 1, kinds), unname))
}

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
