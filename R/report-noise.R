# What was assumed of the noise, in a paragraph, and what that does to the intervals.

report_noise <- function(run) {
  if (!has_measurements(run$problem)) return(NULL)
  told <- c(assumed_of_noise(run$problem$criterion, run), if (has_knowledge(run$problem)) "What was known before counts beside the readings, and makes intervals narrower.")
  if (length(told)) htmltools::tags$p(htmltools::tags$b("Assumed of the noise. "), paste(told, collapse = " "))
}

independently <- "Readings err independently of each other, or intervals are too narrow."

assumed_of_noise <- function(criterion, run) UseMethod("assumed_of_noise")
assumed_of_noise.tundrel_criterion <- function(criterion, run) independently

assumed_of_noise.tundrel_criterion_squares <- function(criterion, run) {
  c(
    if (!is.null(criterion$relative)) {
      paste0("The spread of a reading is in proportion to the ", if (identical(criterion$relative, "fitted")) "curve" else "reading itself", ".")
    } else if (!is.null(criterion$sd)) {
      "Standard deviations of the readings are as stated, up to a common scale that was estimated."
    } else if (!is.null(criterion$weights)) {
      "Variances of the readings go with one over the weights that were stated, up to a common scale that was estimated."
    } else {
      "All readings err alike: one standard deviation, estimated from the residuals."
    },
    "Errors are about normal.", independently
  )
}

assumed_of_noise.tundrel_criterion_pooled <- function(criterion, run) {
  c(paste0("All readings err alike, by the standard deviation of replicates (", format_number(criterion$sd), ", with ", format_number(criterion$pooled_freedom), " degrees of freedom)."), "Errors are about normal.", independently)
}

assumed_of_noise.tundrel_criterion_distances <- function(criterion, run) {
  c(
    paste0("The response and ", and_list(names(criterion$predictor_sd)), " err by the standard deviations that were stated, up to a common scale that was estimated; a reading counts by its distance from the curve."),
    "Errors are about normal.", "Rows err independently of each other, or intervals are too narrow."
  )
}

spreads_are_restricted <- "What is estimated of the noise comes from restricted likelihood."

dependence_told <- function(criterion) {
  dependent <- criterion$dependent
  c(
    if (is.null(dependent)) {
      independently
    } else {
      paste0(
        "Errors depend on each other", if (!is.null(dependent$along)) paste0(", by less the further readings are apart along ", expression_text(dependent$along)),
        if (length(dependent$by)) paste0(", within each ", paste(dependent$by, collapse = " and ")), ": intervals are wider than those of independent readings would be."
      )
    },
    if (criterion$restricted) spreads_are_restricted else "What is estimated of the noise comes from likelihood, and is somewhat too small where readings are few."
  )
}
assumed_of_noise.tundrel_criterion_dependent <- function(criterion, run) c(utils::head(NextMethod(), -1), dependence_told(criterion))
assumed_of_noise.tundrel_criterion_dependent_likelihood <- function(criterion, run) c(utils::head(assumed_of_noise.tundrel_criterion_likelihood(criterion, run), -1), dependence_told(criterion))

assumed_of_noise.tundrel_criterion_likelihood <- function(criterion, run) {
  others <- vapply(others_as_written(criterion), expression_text, "")
  c(
    paste0("Readings follow the ", gsub("_", " ", criterion$family), " family", if (length(others)) paste0(" with ", paste(names(others), "=", others, collapse = ", ")), if (!is.null(criterion$censored)) "; some are known by a limit only", "."),
    independently
  )
}

assumed_of_noise.tundrel_criterion_varying <- function(criterion, run) {
  varying <- criterion$varying
  c(
    utils::head(assumed_of_noise.tundrel_criterion_likelihood(criterion, run), -1),
    paste0(
      upper_first(and_list(ifelse(varying$log, paste("the logarithm of", varying$parameters), varying$parameters))), if (length(varying$parameters) > 1) " vary" else " varies", " between groups by ", and_list(varying$by),
      " as a normal distribution does: intervals of the common curve are for other groups of the same kind. Readings of one group err independently about its own curve."
    ),
    if (criterion$restricted) spreads_are_restricted else "Spreads between groups come from likelihood, and are somewhat too small where groups are few."
  )
}

assumed_of_noise.tundrel_criterion_absolute <- function(criterion, run) c("Errors may have heavy tails: the sum of their absolute sizes counts.", independently)
assumed_of_noise.tundrel_criterion_robust <- function(criterion, run) c("Most readings err alike, and a few may be far off: those count less.", independently)
assumed_of_noise.tundrel_criterion_responses <- function(criterion, run) {
  c("Each response has a noise of its own.", if (has_rows_together(criterion)) "Errors of one row are correlated; rows err independently of each other." else independently)
}
