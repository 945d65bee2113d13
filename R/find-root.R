#' Find where a function or an expression is zero
#'
#' For reading a value back off a curve, for stationary points, for limits that solve an equation. Bracketing
#' needs a range at whose ends the signs differ, and then cannot miss; Newton's iteration and Halley's, which is of third
#' order, need only a start, and use exact derivatives of an expression, central differences of a function.
#'
#' @param f \[formula] One side with one unknown, in the model language, as `~ top * light / (half + light) - 3`; its
#'   other names are in `constants`. Or \[function] of one number that returns one number.
#' @param within \[numeric(2)] Where to look: two numbers, the lower first. Needed for `"bracket"`.
#' @param start \[numeric(1)] Where `"newton"` and `"halley"` begin; by default the middle of `within`.
#' @param method \[character(1)] `"bracket"`, `"newton"` or `"halley"`; by default `"bracket"` where there is a range,
#'   else `"newton"`.
#' @param constants \[numeric] Named numbers for the other names in a formula: `coef(run)`, for instance.
#' @param tolerance \[numeric(1)] How closely the root is to be known, relative to itself; near zero, to 1e-8 of range
#'   and start.
#' @param max_evaluations \[numeric(1)] Budget; at least 1.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A tibble of one row: `root`, `value` (of `f` there), `lower` and `upper` (points of other sign that
#'   enclose it, or the range searched), `converged`, `stop_reason`, `iterations`, `evaluations`. A sign that changes at
#'   a pole (`"diverged"`) or a jump (`"stalled"`) is no root, and has not converged.
#' @section Errors: `tundrel_error_model` for what is no function, a formula with no or several unknowns, a range without
#'   a change of sign, or a function that gives no finite number.
#' @references Chandrupatla (1997) Advances in Engineering Software 28, 145-149. Traub (1964) Iterative Methods for the
#'   Solution of Equations.
#' @export
#' @examples
#' # light at which lichens take up as much as they breathe out
#' uptake <- ~ top * light / (half + light) - dark
#' find_root(uptake, within = c(0, 500), constants = c(top = 8, half = 150, dark = 1))
#' # where a slope vanishes
#' find_root(function(x) 2 * x - cos(x), start = 1, method = "halley")
find_root <- function(f, within = NULL, start = NULL, method = NULL, constants = numeric(), tolerance = 1e-12, max_evaluations = 1000, ...) {
  refuse_unknown(...)
  methods <- c("bracket", "newton", "halley")
  method <- rlang::arg_match0(method %||% (if (is.null(within)) "newton" else "bracket"), methods, "method")
  check_root_range(within, start, method)
  check_number(tolerance, "tolerance", above = 0, below = 1)
  check_number(max_evaluations, "max_evaluations", above = 1, or_equal = TRUE)
  start <- start %||% mean(within)
  range <- within %||% c(-Inf, Inf)
  what <- if (rlang::is_formula(f)) root_expression(f, constants) else root_function(f, method)
  found <- core_find_root(what, match(method, methods) - 1L, range[1], range[2], start, tolerance, max_evaluations)
  if (found$reason == "infeasible") {
    refuse("model", c(
      "The signs at the ends of {.arg within} do not differ: there may be no zero between {range[1]} and {range[2]}.",
      "x" = "The value nearest to zero is {format_number(found$value)}, at {format_number(found$root)}.",
      "i" = "Widen or move the range, or use {.code method = \"newton\"} for a curve that touches zero."
    ))
  }
  if (found$reason == "failed") {
    refuse("model", c("{.arg f} gives no finite number near {format_number(found$root)}.", "i" = "Choose a range or start at which it does."))
  }
  tibble(
    root = found$root, value = found$value, lower = found$lower, upper = found$upper, converged = found$converged,
    stop_reason = found$reason, iterations = found$iterations, evaluations = found$evaluations
  )
}

check_root_range <- function(within, start, method, call = rlang::caller_env()) {
  if (!is.null(start)) check_number(start, "start", call = call)
  if (is.null(within)) {
    if (method == "bracket") {
      refuse("model", c(
        "{.arg within} is needed: a range at whose ends the signs differ.", "i" = "For example {.code within = c(0, 10)}."
      ), call = call)
    }
    if (is.null(start)) refuse("model", "Give {.arg within}, a range to look in, or {.arg start}.", call = call)
    return(invisible())
  }
  if (!is.numeric(within) || length(within) != 2 || !all(is.finite(within)) || within[1] >= within[2]) {
    refuse("model", c("{.arg within} must be two finite numbers, the lower first.", "x" = "It is {.val {within}}."), call = call)
  }
}

# An expression of one unknown as the core takes it.
root_expression <- function(f, constants, call = rlang::caller_env()) {
  if (!rlang::is_formula(f, lhs = FALSE)) {
    refuse("model", c("{.arg f} must have one side.", "i" = "Write what is to be zero, as {.code ~ a * x - 3}."), call = call)
  }
  expr <- written_shapes(rlang::f_rhs(f), call)
  constants <- check_constants(constants, character(), call)
  unknown <- setdiff(value_names(expr, call), c(names(constants), "pi"))
  if (length(unknown) != 1) {
    refuse("model", c(
      "{.arg f} must have one unknown, and has {length(unknown)}{if (length(unknown)) ': '}{.field {unknown}}.",
      "i" = "Give the others in {.arg constants}; {.code coef(run)} serves."
    ), call = call)
  }
  collector <- node_collector(character(), unknown, constants)
  root <- collector$add(expr, call)
  list(nodes = collector$nodes(), root = root)
}

# Value, slope and curvature of a function, by central differences as far as the method needs them.
root_function <- function(f, method, call = rlang::caller_env()) {
  if (!is.function(f)) refuse("model", c("{.arg f} must be a formula of one side or a function.", "x" = "It is {.obj_type_friendly {f}}."), call = call)
  value <- function(x) try_call(f(x), 1L, "function")$value %||% NaN
  force(method)
  function(x) {
    here <- value(x)
    if (method == "bracket") return(c(here, NaN, NaN))
    # steps that balance truncation and rounding
    h <- if (method == "newton") .Machine$double.eps^(1 / 3) else .Machine$double.eps^(1 / 4)
    h <- h * max(abs(x), 1e-3)
    ahead <- value(x + h)
    behind <- value(x - h)
    c(here, (ahead - behind) / (2 * h), (ahead - 2 * here + behind) / h^2)
  }
}
