# Six readings under a likelihood: how often intervals of 95 % hold the truth, where the spread is estimated beside the curve.
#
#   Rscript bench/small-samples.R [sets]
suppressMessages(library(tundrel))
sets <- as.integer(c(commandArgs(TRUE), 400)[1])
x <- c(0.5, 1, 2, 4, 6, 9)
curve <- 5 * exp(-0.4 * x)
cases <- list(
  `normal, sd = s` = list(function() curve + stats::rnorm(6, sd = 0.2), max_likelihood("normal", sd = s), 0.2),
  `normal, sd = s * abs(fitted)` = list(function() curve * (1 + stats::rnorm(6, sd = 0.15)), max_likelihood("normal", sd = s * abs(fitted)), 0.15),
  `lognormal, log_sd = s` = list(function() stats::rlnorm(6, log(curve) - 0.3^2 / 2, 0.3), max_likelihood("lognormal", log_sd = s), 0.3)
)
for (name in names(cases)) {
  truth <- c(a = 5, k = 0.4, s = cases[[name]][[3]])
  held <- parallel::mclapply(seq_len(sets), function(k) {
    set.seed(k)
    problem <- pose(data.frame(x, y = cases[[name]][[1]]()), y ~ a * exp(-k * x)) |> judge_by(cases[[name]][[2]]) |> start_from(as.list(truth))
    run <- tryCatch(suppressMessages(fit_local(problem)), tundrel_error = function(e) NULL)
    if (is.null(run) || !run$converged) return(NULL)
    table <- suppressWarnings(uncertainty(run, by = c("curvature", "profile")))
    inside <- ifelse(is.na(table$lower), -Inf, table$lower) <= truth[table$parameter] & truth[table$parameter] <= ifelse(is.na(table$upper), Inf, table$upper)
    stats::setNames(inside, paste(table$parameter, "by", table$by))
  }, mc.cores = 2)
  table <- do.call(rbind, held)
  cat(sprintf("%-30s %d of %d converged: %s\n", name, nrow(table), sets, paste(sprintf("%s %.1f %%", colnames(table), 100 * colMeans(table)), collapse = ", ")))
}
