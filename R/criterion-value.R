# A value that comes from a function, or from outside: nothing is known of noise.

new_value_criterion <- function(goal) new_criterion("value", "value", form = "smooth", goal = goal, tells_noise = FALSE)

# What a function returns that is judged by it, as pose() names it.
returned_name <- function(criterion) UseMethod("returned_name")
returned_name.tundrel_criterion_value <- function(criterion) "value"

# The same in words.
returned_text <- function(criterion) {
  name <- gsub("_", "-", returned_name(criterion))
  if (criterion$tells_noise && criterion$goal == "minimise") paste("negative", name) else name
}

#' @export
format.tundrel_criterion_value <- function(x, ...) paste("the value itself, to", x$goal)

noise_family.tundrel_criterion_value <- function(criterion) NULL

stored_parts.tundrel_criterion_value <- function(criterion) NULL
