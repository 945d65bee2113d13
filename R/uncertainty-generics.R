# What R's generics give of a run's uncertainty.

#' @rdname run-generics
#' @export
confint.tundrel_run <- function(object, parm = names(coef(object)), level = 0.95, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  table <- uncertainty(object, level = level)
  parm <- names_told(rlang::enquo(parm), table$parameter)
  unknown <- setdiff(parm, table$parameter)
  if (length(unknown)) {
    refuse("model", c("There is no parameter {.field {unknown[1]}}.", suggestion(unknown[1], table$parameter, "parameters")))
  }
  table <- table[match(parm, table$parameter), ]
  heads <- paste(format_number(100 * (1 + c(-1, 1) * level) / 2), "%")
  matrix(c(table$lower, table$upper), ncol = 2, dimnames = list(parm, heads))
}

#' @rdname run-tables
#' @export
tidy.tundrel_run <- function(x, level = 0.95, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  table <- uncertainty(x, level = level)
  class(table) <- setdiff(class(table), "tundrel_uncertainty")
  table
}

#' @export
tidy.tundrel_fits <- function(x, level = 0.95, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  table <- uncertainty(x, level = level)
  class(table) <- setdiff(class(table), "tundrel_uncertainty")
  table
}
