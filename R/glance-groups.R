# What many fits come to, a row a group.

#' @export
glance.tundrel_fits <- function(x, ...) table_of_groups(x, stacked_glance, glance)

stacked_glance <- function(stack) {
  places <- which(stack$plain)
  fits <- stack$fits
  run <- stacked_run(stack)
  rss <- by_group(stack, residual_rows(run, stack$rows, "response")^2)
  weight <- root_weight_rows(stack$rows, numeric())
  log_weight <- by_group(stack, log(weight))
  likelihood <- vapply(places, function(k) log_likelihood(stack$criterion, stack$value[k], stack$n[k], log_weight[k]), 0)
  p <- nrow(stack$x)
  k <- p + stack$criterion$scale_estimated
  n <- stack$n[places]
  aic <- 2 * k - 2 * likelihood
  rows <- length(places)
  table <- tibble::new_tibble(list(
    solver = rep(fits$solver$name, rows), scope = rep(fits$solver$scope, rows), value = stack$value[places], rss = rss[places], rmse = sqrt(rss[places] / n),
    sigma = stack$sigma[places], pseudo_r2 = stacked_pseudo_r2(stack, run, weight)[places], log_lik = likelihood, aic = aic,
    aicc = ifelse(n > k + 1, aic + 2 * k * (k + 1) / (n - k - 1), NA_real_), bic = k * log(n) - 2 * likelihood, n = as.integer(n), n_free = rep(p, rows),
    df_residual = stack$freedom[places], converged = fits$converged[places], stop_reason = fits$reason[places], iterations = fits$iterations[places],
    evaluations = fits$evaluations[places], seconds = rep(NA_real_, rows)
  ), nrow = rows)
  list(group = places, table = table)
}

stacked_pseudo_r2 <- function(stack, run, weight) {
  if (judged_by_squares(stack$problem)) {
    response <- response_rows(stack$rows)
    middle <- by_group(stack, weight^2 * response) / by_group(stack, weight^2)
    return(1 - stack$value / by_group(stack, weight^2 * (response - middle[stack$group])^2))
  }
  best <- by_group(stack, saturated_rows(run, stack$rows))
  best[!is.finite(best)] <- NA
  constant <- constants_of_groups(stack)
  1 - (best - stack$value) / (best - constant)
}

# The likelihood of each group's best constant mean, all else at the group's answer; NA where that has none.
constants_of_groups <- function(stack) {
  problem <- stack$problem
  status <- stack$status
  own <- setdiff(rownames(stack$x), problem$model$parameters)
  rows <- stack$fits$groups$order
  group <- rep(seq_along(stack$n), diff(stack$fits$groups$first))
  data <- tibble::as_tibble(unclass_measurements(problem$measurements))
  data$.group <- group
  # what else is estimated is a number of each row
  for (name in own) data[[name]] <- stack$x[name, group]
  observed <- by_group(stack, observed_rows(stack$rows)) / pmax(1, by_group(stack, rep(1, length(stack$group))))
  posed <- suppressMessages(pose(data, rlang::new_formula(problem$model$response, quote(.level)), constants = as.list(c(problem$model$constants, status$fixed)), by = ".group"))
  criterion <- problem$criterion
  criterion[c("own_parameters", "scale_parameter", "small_samples")] <- list(NULL)
  posed <- suppressMessages(judge_by(posed, criterion))
  posed$left_out <- problem$left_out
  found <- fit_each(start_from(posed, .level = 1), start = data.frame(.group = seq_along(stack$n), .level = observed))
  ifelse(found$converged, found$value, NA_real_)
}
