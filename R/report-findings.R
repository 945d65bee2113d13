# What came out: curve, parameters, other runs and models, checks, conditions.

report_curve <- function(known) {
  run <- known$run
  if (!has_model(run$problem)) return(NULL)
  htmltools::tagList(
    htmltools::tags$h2("The fitted curve"),
    report_picture(plot_fit(run), "Measurements (points) and the fitted model (line).",
      paste("Measurements as points with the fitted curve of", model_text(run$problem), "through them"), known$drawn$fit)
  )
}

report_parameters <- function(known) {
  h <- htmltools::tags
  table <- known$uncertainty
  shown <- tibble(
    parameter = table$parameter, estimate = table$estimate, `standard error` = table$std_error,
    lower = table$lower, upper = table$upper, by = table$by, start = unname(known$run$start[table$parameter]), note = table$note, unit = table$unit
  )
  shown <- with_unit_labels(shown)
  several <- length(unique(table$by)) > 1
  repeated <- duplicated(table$parameter)
  shown$parameter[repeated] <- ""
  shown[repeated, c("estimate", "start")] <- NA
  htmltools::tagList(
    h$h2("Parameters"),
    report_table(if (several) shown else shown[setdiff(names(shown), "by")]),
    report_small(
      "Intervals: ", format_number(100 * known$level), " %", if (!several) paste0(", by ", table$by[1]), ", with ",
      if (isTRUE(interval_freedom(known$run) < Inf)) "Student's t." else "normal quantiles.",
      if (any(c("bootstrap", "percentile") %in% table$by)) " Bootstrap: 999 refits, seed 1."
    ),
    lapply(attr(table, "reading"), h$p),
    if (several) {
      report_picture(plot_uncertainty(table), paste0("Intervals at ", format_number(100 * known$level), " %, each way in its own colour and shape."),
        "Intervals of every parameter by each way, side by side")
    }
  )
}

# What the design was worth, where that can be said.
report_worth <- function(known) {
  run <- known$run
  if (!has_model(run$problem) || !is_compiled(run$problem) || !run$converged) return(NULL)
  # held against the best of places that lie close, which is quick and as good to the digits told
  worth <- tryCatch(suppressWarnings(worth_of_rows(run, candidates = read_candidates(run, NULL)$table)), tundrel_error = function(e) NULL)
  if (is.null(worth)) return(NULL)
  places <- worth_by_place(worth)
  places$share <- paste(format_number(100 * places$share, 2), "%")
  names(places)[names(places) == "share"] <- "share of what is known"
  htmltools::tagList(
    htmltools::tags$h2("What the measurements were worth"),
    htmltools::tags$p(paste(worth_reading(worth), collapse = " ")),
    report_table(utils::head(places, most_places_told)),
    report_small("Places that carry most of what is known of all parameters, by the determinant of the information", if (nrow(places) > most_places_told) paste0("; ", count_shown(nrow(places) - most_places_told), " more carry the rest"), ".")
  )
}

report_runs <- function(known) {
  if (is.null(known$runs)) return(NULL)
  table <- rlang::exec(compare_runs, !!!known$runs)
  most <- 12
  shown <- tibble::as_tibble(unclass(table)[c("run", "solver", "value", "gap", "optimum", "stop_reason", "evaluations", "at_bound", names(coef(known$run)))])
  shown$gap[shown$gap <= 1e-12 * abs(shown$value)] <- 0
  shown$optimum <- shown$optimum %|% "none"
  names(shown) <- gsub("_", " ", names(shown))
  htmltools::tagList(
    htmltools::tags$h2("Runs compared"),
    htmltools::tags$p(paste(comparison_reading(table), collapse = " ")),
    report_table(utils::head(shown, most)),
    if (nrow(shown) > most) report_small("The best ", most, " of ", nrow(shown), " runs."),
    report_picture(rlang::exec(plot_runs, !!!known$runs),
      "How many runs reached each optimum, what they cost, and from where to where they walked. Letters name the optima, best first.",
      "Runs by optimum, evaluations of each, and each parameter from start to end")
  )
}

# Rival models, and what to make of them.
report_models <- function(known) {
  h <- htmltools::tags
  table <- known$models
  if (is.null(table)) return(NULL)
  shown <- tibble::as_tibble(unclass(table)[c("model", "formula", "n_free", "sigma", "aicc", "aicc_weight", "bic_weight", "prediction_error", "log_score")])
  names(shown) <- gsub("_", " ", names(shown))
  names(shown)[names(shown) == "n free"] <- "free parameters"
  htmltools::tagList(
    h$h2("Rival models"),
    lapply(c(attr(table, "tests")$reading, models_reading(table)), h$p),
    report_table(shown[!vapply(shown, function(column) all(is.na(column)), logical(1))]),
    report_picture(plot_models(table), "The models over the measurements, their weights by AICc, and how well they predict rows left out.",
      "The models over the measurements, their weights, and how well they predict rows left out")
  )
}

report_solution <- function(known) {
  run <- known$run
  htmltools::tagList(
    htmltools::tags$h2("Is it an optimum?"),
    htmltools::tags$p(paste0(
      format(run$solver), ": ", count_of(run$iterations, "iteration"), ", ", count_of(run$evaluations, "evaluation"),
      if (run$refused) paste0(" (", run$refused, " refused, where the model gave no finite number)"), ", ", format_seconds(run$seconds), "."
    )),
    if (!is.null(known$solution)) report_checks(known$solution),
    if (length(run$trace$iteration)) {
      report_picture(plot_trace(run), "Progress of the fit: value, gradient and parameters after each iteration.",
        "Value, scaled gradient and parameters against the iteration", known$drawn$trace)
    }
  )
}

report_residuals <- function(known) {
  if (!has_residual_scale(known$run)) return(NULL)
  htmltools::tagList(
    htmltools::tags$h2("Residuals"),
    if (!is.null(known$residuals)) htmltools::tagList(report_checks(known$residuals), report_small("One check in twenty warns by chance.")),
    report_picture(plot_residuals(known$run), "Standardised residuals. If the model is right they scatter evenly about zero, without a pattern.",
      "Standardised residuals along the predictor, against fitted values, in row order, their distribution, neighbours, and the rows with most influence", known$drawn$residuals)
  )
}

# Whether residuals have a scale, so that large ones can be recognised.
has_residual_scale <- function(run) {
  !is.null(noise_family(run$problem$criterion)) && stats::df.residual(run) > 0
}

# Checks, those that failed first.
report_checks <- function(checks) {
  checks <- checks[order(match(checks$verdict, c("fail", "warn", "pass", "skip"))), ]
  report_table(tibble(
    check = checks$check, verdict = checks$verdict, statistic = checks$statistic,
    p = vapply(checks$p_value, function(p) if (is.na(p)) "" else p_text(p), character(1)), reading = checks$reading
  ))
}

report_fit_table <- function(run) {
  g <- glance(run)
  if (!has_rows(run$problem)) return(NULL)
  known <- rbind(
    tibble(measure = c("value of the criterion", "residual scale (sigma)"), value = c(if (is_likelihood(run$problem)) NA else g$value, g$sigma)),
    fit_measures(g, reference_table(run)), tibble(measure = "degrees of freedom", value = g$df_residual)
  )
  htmltools::tagList(htmltools::tags$h2("Fit"), report_table(known[!is.na(known$value), ]))
}

report_conditions <- function(run) {
  h <- htmltools::tags
  if (length(run$problem$conditions) == 0) return(htmltools::tagList(h$h2("Conditions"), h$p("None were stated.")))
  table <- conditions_table(run)
  limiting <- table$active & limits_only(table$kind)
  table$active <- ifelse(table$active, "yes", "no")
  htmltools::tagList(
    h$h2("Conditions"),
    h$p(if (any(limiting)) {
      paste0("Active conditions, which determine the answer: ", paste(unique(table$condition[limiting]), collapse = "; "), ".")
    } else {
      "No limit is active: the limits do not hold the answer where it is."
    }),
    report_table(table)
  )
}
