# How the spread of the readings goes with the level of the curve: as a power of it, found from the residuals by likelihood.

# The power with its standard error, and the spread where the level is one; NULL where there are too few rows or the curve comes to zero.
fewest_for_spread <- 12

spread_rule <- function(run, compiled = compiled_of(run)) {
  level <- abs(fitted_rows(compiled, run$estimate))
  leverage <- row_leverage(run, compiled)
  residual <- residual_rows(run, compiled, "response") / sqrt(pmax(1 - leverage, 1e-8))
  known <- is.finite(residual) & is.finite(level) & level > 0
  size <- stats::median(level[known])
  known <- known & level > 1e-6 * size
  if (sum(known) < fewest_for_spread || !isTRUE(diff(range(log(level[known]))) > 0.1) || !isTRUE(sum(residual[known]^2) > 0)) return(NULL)
  unit <- sqrt(mean(residual[known]^2))
  rows <- data.frame(residual = residual[known] / unit, level = level[known] / size)
  problem <- pose(rows, residual ~ centre, constants = list()) |> judge_by(normal_likelihood(quote(spread * level^power))) |>
    subject_to(centre == 0, spread > 0) |> start_from(spread = 1, power = 0)
  found <- tryCatch(or_stopped(suppressMessages(fit_local(problem))), tundrel_error = function(e) NULL)
  if (is.null(found) || !found$converged) return(NULL)
  at <- coef(found)
  list(power = at[["power"]], std_error = sqrt(stats::vcov(found)["power", "power"]), at_one = at[["spread"]] * unit / size^at[["power"]])
}

# Powers with a name of their own, where the data agree with one.
named_powers <- c("the same everywhere" = 0, "as the root of the curve, as counts do" = 0.5, "in proportion to the curve" = 1)

spread_rule_text <- function(rule) {
  near <- abs(rule$power - named_powers) / rule$std_error
  text <- paste0("the spread goes with the power ", format_number(rule$power, 2), " of the curve (standard error ", format_number(rule$std_error, 2), ")")
  if (min(near) < 2) paste0(text, ": about ", names(named_powers)[which.min(near)]) else text
}

# The criterion that says so.
spread_rule_code <- "max_likelihood(\"normal\", sd = s * abs(fitted)^power, restricted = TRUE)"
