# The fits of many groups.

new_fits <- function(spec, found, shared = NULL) {
  found$value <- in_users_sign(spec$problem, found$value)
  structure(c(Filter(Negate(is.null), unclass(spec)), found, list(shared = shared)), class = "tundrel_fits")
}

check_fits <- function(fits, call = rlang::caller_env()) {
  if (inherits(fits, "tundrel_fits")) return(invisible())
  refuse("solver", c("{.arg fits} must be fits of groups.", "x" = "It is {.obj_type_friendly {fits}}.", "i" = "Make them with {.fn fit_each}."), call = call)
}

#' @export
length.tundrel_fits <- function(x) length(x$converged)

#' @export
names.tundrel_fits <- function(x) NULL

# The run of a group: the same walk again, with its trace.
#' @export
`[[.tundrel_fits` <- function(x, i) {
  parts <- unclass(x)
  if (rlang::is_string(i) && i %in% attr(parts, "names")) return(parts[[i]])
  k <- group_number(x, i)
  if (!is.null(parts$shared)) {
    refuse("solver", c("Groups that share parameters were fitted together: there is no run of one alone.", "i" = "See {.fn coef_table}."))
  }
  if (nzchar(parts$trouble[k])) refuse("solver", "There is no run of {group_labels(parts$groups$keys[k, ])}: {parts$trouble[k]}.")
  suppressMessages(run_of_group(parts, k, parts$start[, k]))
}

#' @export
`$.tundrel_fits` <- function(x, name) unclass(x)[[name]]

group_number <- function(fits, i, call = rlang::caller_env()) {
  n <- length(fits)
  if (rlang::is_string(i)) {
    texts <- do.call(paste, c(unname(lapply(fits$groups$keys, as.character)), sep = ", "))
    if (i %in% texts) return(match(i, texts))
    refuse("solver", c("There is no group {.val {i}}.", suggestion(i, texts, "groups")), call = call)
  }
  if (!is.numeric(i) || length(i) != 1 || is.na(i) || i < 1 || i > n) refuse("solver", "Groups are numbered from 1 to {n}.", call = call)
  as.integer(i)
}

#' @export
format.tundrel_fits <- function(x, ...) paste0("fits of ", count_of(length(x), "group"), ", ", sum(x$converged), " converged")

#' @export
print.tundrel_fits <- function(x, ...) {
  cat("Fits of ", count_of(length(x), "group"), " by ", paste(x$problem$by, collapse = ", "), ", ", problem_text(x$problem), "\n", sep = "")
  cat(paste0(strwrap(fits_reading(x), 80, exdent = 2), "\n"), sep = "")
  cat("\n")
  own <- setdiff(parameter_status(x$problem)$all, x$shared)
  if (length(x) > most_groups_shown || length(own) > most_parameters_shown) {
    cat_table(with_unit_labels(spread_table(x)))
  } else {
    cat_table(table_of_few(x, own))
    cat("\n", "Estimates \u00b1 standard errors; coef_table() gives them as numbers.\n", sep = "")
  }
  invisible(x)
}

# Of no more groups, and of no more parameters each, all estimates are shown.
most_groups_shown <- 8
most_parameters_shown <- 5

table_of_few <- function(fits, own) {
  values <- group_values(fits)[own, , drop = FALSE]
  errors <- group_errors(fits)[own, , drop = FALSE]
  errors[, !fits$converged] <- NA
  shown <- matrix(paste0(format_number(values), ifelse(is.na(errors), "", paste(" \u00b1", format_number(errors, 2)))), nrow(values))
  shown[is.na(values)] <- ""
  shown[, !fits$converged] <- paste(shown[, !fits$converged], "(not converged)")
  columns <- as.data.frame(t(shown))
  names(columns) <- unit_labels(own, units_of(fits$problem))
  cbind(data.frame(lapply(fits$groups$keys, as.character), check.names = FALSE), columns)
}

#' Parameters of every group
#'
#' One table of all groups' estimates with their standard errors, however the groups were fitted: alone, with parameters in common, or varying
#' about a common value.
#'
#' @param fits From [fit_each()].
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A tibble, one row a group and parameter: the columns of `by`, then `parameter`, `estimate`, `std_error` (by curvature), `value` (of the
#'   criterion in that group), `converged`, `stop_reason`, `trouble` (in words, where a group could not be fitted) and `unit` (see [units_of()]).
#'   Shared parameters come first, once, with no group. Where parameters vary about a common value: the columns of `by`, `level` (`"population"`,
#'   `"spread"` or `"group"`), `parameter`, `estimate`, `std_error`, `rows` (of the group), `unit`.
#' @section Errors: `tundrel_error_solver` for what is not from [fit_each()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark, by = thallus) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_each() |>
#'   coef_table()
coef_table <- function(fits, ...) {
  refuse_unknown(...)
  if (inherits(fits, "tundrel_varying")) return(varying_table(fits))
  check_fits(fits)
  errors <- group_errors(fits)
  whole <- group_values(fits)
  own <- setdiff(rownames(whole), fits$shared)
  p <- length(own)
  n <- length(fits)
  each <- rep(seq_len(n), each = p)
  table <- tibble(
    fits$groups$keys[each, ], parameter = rep(own, n), estimate = as.vector(whole[own, ]), std_error = as.vector(errors[own, ]),
    value = fits$value[each], converged = fits$converged[each], stop_reason = fits$reason[each], trouble = fits$trouble[each]
  )
  table <- rbind(shared_rows(fits, whole, errors, table), table)
  table$unit <- unit_column(fits, table$parameter)
  table
}

shared_rows <- function(fits, whole, errors, table) {
  if (is.null(fits$shared)) return(NULL)
  rows <- table[rep(NA_integer_, length(fits$shared)), ]
  rows[c("parameter", "estimate", "std_error")] <- list(fits$shared, unname(whole[fits$shared, 1]), unname(errors[fits$shared, 1]))
  rows[c("value", "converged", "stop_reason", "trouble")] <- list(sum(fits$value), fits$converged[1], fits$reason[1], "")
  rows
}

# Fixed and tied parameters beside the free ones, a column a group.
group_values <- function(fits) {
  status <- parameter_status(fits$problem)
  if (length(status$all) == length(status$free)) return(fits$x[status$all, , drop = FALSE])
  values <- vapply(seq_along(fits$converged), function(k) {
    if (anyNA(fits$x[, k])) rep(NA_real_, length(status$all)) else all_values(status, fits$x[, k])[status$all]
  }, numeric(length(status$all)))
  matrix(values, length(status$all), dimnames = list(status$all, NULL))
}

# Standard errors, a column a group: from the triangles where that is all there is to it, else from the runs.
group_errors <- function(fits) {
  if (!is.null(fits$errors)) return(fits$errors)
  all <- parameter_status(fits$problem)$all
  errors <- matrix(NA_real_, length(all), length(fits), dimnames = list(all, NULL))
  others <- which(!nzchar(fits$trouble) & colSums(is.na(fits$x)) == 0)
  if (is_stackable(fits)) {
    stack <- stack_groups(fits)
    errors[rownames(fits$x), stack$plain] <- stacked_errors(stack)[, stack$plain]
    errors[setdiff(all, rownames(fits$x)), stack$plain] <- 0
    others <- setdiff(others, which(stack$plain))
  }
  for (k in others) errors[, k] <- sqrt(diag(stats::vcov(fits[[k]]))[all])
  errors
}

# How a parameter spreads over the groups.
spread_table <- function(fits) {
  values <- group_values(fits)[, fits$converged, drop = FALSE]
  quartile <- function(share) unname(apply(values, 1, function(x) if (length(x)) stats::quantile(x, share) else NA_real_))
  table <- tibble(parameter = rownames(values), smallest = quartile(0), `lower quartile` = quartile(0.25), median = quartile(0.5),
    `upper quartile` = quartile(0.75), largest = quartile(1))
  table$unit <- unit_column(fits, table$parameter)
  table[!table$parameter %in% fits$shared, ]
}

#' @export
coef.tundrel_fits <- function(object, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  beside(object$groups$keys, as_tibble(t(group_values(object))))
}

# What a set of fits comes to, in sentences.
fits_reading <- function(fits) {
  labels <- group_labels(fits$groups$keys)
  n <- length(fits)
  good <- fits$converged
  listed <- function(which, most = 5) {
    paste0(paste(utils::head(labels[which], most), collapse = "; "), if (length(which) > most) paste0(" and ", length(which) - most, " more"))
  }
  short <- which(!good)
  why <- split(short, ifelse(nzchar(fits$trouble[short]), fits$trouble[short], fits$reason[short]))
  c(
    if (!is.null(fits$shared)) paste0("Shared by all: ", paste(fits$shared, "=", format_number(fits$x[fits$shared, 1]), collapse = ", "), "."),
    if (all(good)) "All converged." else paste0(sum(good), " of ", n, " converged."),
    unlist(lapply(names(why), function(reason) paste0("Not converged (", reason, "): ", listed(why[[reason]]), "."))),
    if (length(fits$groups$without)) {
      paste0(count_of(length(fits$groups$without), "row"), " in no group, since ", paste(fits$problem$by, collapse = " or "), " is missing.")
    },
    outlying_reading(fits, listed)
  )
}

# Groups further from the middle than this many times the spread of the others, by a measure that they do not move.
outlying_by <- 5

outlying_groups <- function(fits) {
  values <- fits$x[setdiff(rownames(fits$x), fits$shared), , drop = FALSE]
  values[, !fits$converged] <- NA
  apply(values, 1, function(x) {
    spread <- stats::mad(x, na.rm = TRUE)
    if (sum(!is.na(x)) < 5 || !isTRUE(spread > 0)) return(integer())
    which(abs(x - stats::median(x, na.rm = TRUE)) > outlying_by * spread)
  }, simplify = FALSE)
}

outlying_reading <- function(fits, listed) {
  out <- Filter(length, outlying_groups(fits))
  unlist(Map(function(name, which) paste0("Unlike the others in ", name, ": ", listed(which), "."), names(out), out))
}

# A table of every group's run, under its key; groups without a run are left out.
each_group <- function(fits, f, whole = which(!nzchar(fits$trouble))) {
  if (!is.null(fits$shared)) return(f(joint_run(fits)))
  each_group_numbered(fits, f, whole)$table
}

# The same with the number of each row's group.
each_group_numbered <- function(fits, f, whole) {
  tables <- lapply_planned(whole, function(k) {
    table <- tibble::as_tibble(unclass(f(fits[[k]])))
    table[setdiff(names(table), names(fits$groups$keys))]
  }, fits$problem)
  group <- rep(whole, vapply(tables, nrow, integer(1)))
  list(group = group, table = beside(vctrs::vec_slice(fits$groups$keys, group), do.call(rbind, tables)))
}
