# What readings are to improve, as aims of the core: see src/core/planning/worth.h.

goal_names <- c("parameters", "average", "worst", "band", "tell_apart")

# `what`, one of the above or "quantity"; `text`, as it is told; `slopes(x)`, of what is wanted, in all free parameters, a column each.
read_goal <- function(run, goal, region, call) {
  expr <- rlang::quo_get_expr(goal)
  known <- names(coef(run))
  # a name may be a parameter's, or that of a text that stands elsewhere
  value <- if (is.symbol(expr) && !as.character(expr) %in% known) tryCatch(rlang::eval_tidy(goal), error = function(e) as.character(expr)) else expr
  if (rlang::is_call(value, "c")) {
    if (length(value) != 2) refuse("argument", c("{.arg goal} must be one quantity, or one of the goals.", "i" = "For several parameters together take {.val parameters}, {.val average} or {.val worst}."), call = call)
    value <- value[[2]]
  }
  if (rlang::is_string(value) && value %in% setdiff(goal_names, known)) return(named_goal(run, value, region, call))
  written <- if (rlang::is_string(value)) tryCatch(rlang::parse_expr(value), error = function(e) NULL) else value
  if (!is.call(written) && !(is.symbol(written) && as.character(written) %in% known)) {
    refuse("argument", c(
      if (rlang::is_string(value)) "{.val {value}} is neither a goal nor a parameter." else "{.arg goal} must be one of the goals, a parameter or an expression of parameters, and not {.obj_type_friendly {value}}.",
      if (rlang::is_string(value)) suggestion(value, c(goal_names, known), "goals and parameters"),
      "i" = "A quantity that is computed from parameters is a goal, too: {.code goal = log(2) / k}."
    ), call = call)
  }
  found <- derived_quantity(expression_text(written), written, run, call)
  list(what = "quantity", text = expression_text(written), slopes = function(x) {
    run$estimate[] <- x
    t(expression_slope(run, found$expression))
  })
}

named_goal <- function(run, what, region, call) {
  free <- names(run$estimate)
  if (what != "band") return(list(what = what, text = what, slopes = function(x) diag(length(free))))
  region <- read_candidates(run, region, call)$table
  list(what = what, text = what, slopes = function(x) {
    # as few columns as there are parameters, with the same sum of squares
    found <- svd(matrix(region_slopes(run, region, x, call), ncol = length(x)), nu = 0)
    found$v %*% diag(found$d, length(found$d)) / sqrt(nrow(region))
  })
}

region_slopes <- function(run, region, x, call) {
  if (is_compiled(run$problem)) return(model_rows(run$problem, region, core_jacobian, x, call = call))
  difference_jacobian(function(x) model_rows(run$problem, region, core_evaluate, x, call = call), x, abs(x))
}

# The directions that parameters can move in: those at a bound stay, and active conditions between them are kept.
open_basis <- function(run) {
  moving <- which(run$at_bound == "")
  if (length(moving) == 0) refuse("model", "Every parameter is fixed or rests on a bound: no reading can tell more.", call = rlang::caller_env(2))
  basis <- matrix(0, length(run$estimate), ncol(active_slopes(run, moving)$open))
  basis[moving, ] <- active_slopes(run, moving)$open
  basis
}

# Without the noise's own parameters, where readings are not judged by what they tell of these.
planned_basis <- function(run) {
  basis <- open_basis(run)
  acting <- acting_parameters(run$problem, run$status)
  if (tells_of_noise(run$problem$criterion) || length(acting) == length(run$estimate)) return(basis)
  basis[-acting, ] <- 0
  basis[, colSums(basis != 0) > 0, drop = FALSE]
}

# What is known from before, at one set of values: at the answer what the run says itself.
known_information <- function(run, x, basis, count_measured, scale = covariance_scale(run)) {
  if (!count_measured) return(matrix(0, ncol(basis), ncol(basis)))
  if (identical(unname(x), unname(run$estimate))) {
    moving <- which(run$at_bound == "")
    factor <- run$factor
    factor[, -moving] <- 0
    information <- crossprod(factor) / covariance_scale(run)^2
    # what is not known of the noise is not known of the curve either, as far as they go together
    noise <- setdiff(moving, which(rowSums(abs(basis)) > 0))
    between <- crossprod(basis, information[, noise, drop = FALSE])
    less <- if (length(noise)) tryCatch(between %*% solve(information[noise, noise], t(between)), error = function(e) 0) else 0
    return(crossprod(basis, information %*% basis) - less)
  }
  crossprod(reading_rows(run, measured_places(run), x, scale)$rows %*% basis)
}

# So small a share of what all candidates tell is added in every direction, so that a goal can be reached by readings that leave others open.
ridge_share <- 1e-11

# The aims for one set of values: in units in which candidates evenly spread tell as much of each parameter.
aims_at <- function(goal, told, known, wanted, amount, share, everywhere, ridge) {
  even <- known + crossprod(everywhere) * amount / nrow(everywhere)
  size <- sqrt(diag(even))
  size[!is.finite(size) | size == 0] <- 1
  scaled <- function(m) m / outer(size, size)
  base <- list(
    rows = told$rows / rep(size, each = nrow(told$rows)), begin = told$begin, known = scaled(known) + diag(ridge, length(size)), share = share
  )
  one <- function(measure, wanted, group = 0L) c(base, list(measure = measure, wanted = wanted / size, group = group))
  if (goal$what == "parameters") return(list(one("volume", wanted)))
  if (goal$what %in% c("quantity", "band")) return(list(one("error", wanted)))
  # each against its error by the same readings evenly spread
  against <- sqrt(colSums(wanted / size * solve(scaled(even) + diag(ridge_share, length(size)), wanted / size)))
  relative <- wanted / rep(against, each = nrow(wanted))
  if (goal$what == "average") return(list(one("error", relative / sqrt(ncol(wanted)))))
  lapply(seq_len(ncol(wanted)), function(k) one("error", relative[, k, drop = FALSE], k - 1L))
}
