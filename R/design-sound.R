# Whole readings that keep what they promise. The best readings for one quantity may leave other parameters all but open, since the quantity does not
# depend on them exactly where the parameters are supposed to be. Where these turn out to be others, or are fitted, the quantity is then not known either.
# So the worth for all parameters joins the aim with as small a share as will do (compound designs: Atkinson, Donev and Tobias 2007, Optimum Experimental
# Designs, with SAS, chapter 21).

shares_for_all <- c(0, 0.05, 0.1, 0.2, 0.4, 0.8, 1.6)

# Within what readings leave open of the parameters, the quantity's variance is on average at most so many times what is foretold.
sound_ratio <- 1.1

whole_readings <- function(setting, ideal, seed) {
  alone <- setting$goal$what %in% c("quantity", "band")
  tried <- list()
  for (share in if (alone) shares_for_all else 0) {
    found <- exchanged_whole(with_all_parameters(setting, share), ideal, seed)
    found$ratio <- if (alone) variance_nearby(setting, found) else 1
    tried <- c(tried, list(found))
    if (found$ratio <= sound_ratio) break
  }
  ratios <- vapply(tried, `[[`, 0, "ratio")
  best <- tried[[which(ratios <= max(sound_ratio, 1.1 * min(ratios)))[1]]]
  best$value <- worth_of_amounts(setting$aims(best$table), best$readings)
  best
}

# The volume of all parameters beside the goal.
with_all_parameters <- function(setting, share) {
  if (share == 0) return(setting)
  aims <- setting$aims
  setting$aims <- function(table, ridge = ridge_share) {
    goal <- aims(table, ridge)
    c(goal, lapply(goal, function(one) utils::modifyList(one, list(measure = "volume", wanted = diag(ncol(one$rows)), share = share * one$share))))
  }
  setting
}

# The mean of the goal's variance over parameters one standard error away along each axis of what the readings leave open, over the variance foretold.
variance_nearby <- function(setting, found) {
  run <- setting$run
  after <- information_after(setting, found$table, found$readings)
  variance <- function(x, information) {
    shifted <- setting
    shifted$run$estimate[] <- x
    sum(errors_under(information, wanted_now(shifted))^2)
  }
  size <- sqrt(diag(after))
  if (any(size == 0)) return(Inf)
  axes <- eigen(after / outer(size, size), symmetric = TRUE)
  if (min(axes$values) < 1e-12 * max(axes$values)) return(Inf)
  steps <- setting$basis %*% (axes$vectors / size) %*% diag(1 / sqrt(axes$values), length(axes$values))
  limits <- compiled_at_start(run)
  here <- variance(run$estimate, after)
  there <- vapply(seq_len(2 * ncol(steps)), function(k) {
    x <- run$estimate + c(-1, 1)[1 + k %% 2] * steps[, (k + 1) %/% 2]
    x <- pmin(pmax(x, limits$lower), limits$upper)
    tryCatch(variance(x, information_after(setting, found$table, found$readings, x = x)), tundrel_error = function(e) Inf)
  }, 0)
  ratio <- mean(there / here)
  if (is.finite(ratio)) ratio else Inf
}
