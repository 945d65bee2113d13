# Curves that fall at rates of their own, 15 readings a group.
grouped_decay <- function(groups = 6, same_rate = FALSE) {
  withr::with_seed(4, {
    x <- rep(seq(0.2, 6, length.out = 15), groups)
    g <- rep(seq_len(groups), each = 15)
    rate <- if (same_rate) rep(0.7, groups) else stats::rlnorm(groups, -0.4, 0.15)
    height <- stats::runif(groups, 2, 5)
    rest <- stats::rnorm(groups, 0, 0.3)
    data.frame(well = paste0("w", g), x, y = height[g] * exp(-rate[g] * x) + rest[g] + stats::rnorm(15 * groups, sd = 0.05))
  })
}

grouped_problem <- function(data = grouped_decay(), ...) pose(data, y ~ a * exp(-k * x) + rest, by = well) |> start_from(a = 2, k = 1, rest = 0)
