# A value that comes from a function, or from outside: nothing is known of noise.

new_value_criterion <- function(goal) new_criterion("value", "value", form = "smooth", goal = goal)

#' @export
format.tundrel_criterion_value <- function(x, ...) paste("the value itself, to", x$goal)

noise_family.tundrel_criterion_value <- function(criterion) NULL

stored_parts.tundrel_criterion_value <- function(criterion) NULL
