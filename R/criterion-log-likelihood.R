# A log-likelihood that a function of the user's works out, or its negative: one number for all readings together.

new_log_likelihood_value <- function(goal) {
  criterion <- new_criterion("log_likelihood", "value", form = "smooth", goal = goal, tells_noise = TRUE)
  class(criterion) <- append(class(criterion), "tundrel_criterion_value", 1)
  criterion
}

#' @export
format.tundrel_criterion_log_likelihood <- function(x, ...) paste0("the ", returned_text(x), " itself, to ", x$goal)

log_likelihood.tundrel_criterion_log_likelihood <- function(criterion, value, n, log_weight) if (criterion$goal == "minimise") -value else value

noise_freedom.tundrel_criterion_log_likelihood <- function(criterion, run) Inf

returned_name.tundrel_criterion_log_likelihood <- function(criterion) "log_likelihood"
