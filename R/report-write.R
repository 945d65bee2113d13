#' Write a report
#'
#' One HTML file that holds everything, pictures included, and can be opened anywhere and printed: the
#' question with its answer first, then parameters and how sure they are, the fitted curve, rival models, residuals and
#' their checks, the run, conditions and measurements. All text from data is escaped.
#'
#' @param run A run, from [fit_local()].
#' @param path \[character(1)] The file to write, ending in `.html`; an existing one is replaced whole.
#' @param title \[character(1)] Heading; the model's formula if none is given.
#' @param level \[numeric(1)] Coverage of intervals, between 0 and 1.
#' @param by \[character] Ways to find uncertainties, as for [uncertainty()]; bootstraps are drawn with seed 1.
#' @param models \[list] Runs of rival models on the same measurements, with names, to be compared by [compare_models()].
#'
#' @return `path`, invisibly.
#' @section Errors: `tundrel_error_file` when the directory does not exist, the file cannot be
#'   written, or one of the packages htmltools, base64enc and ragg is missing.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' path <- tempfile(fileext = ".html")
#' write_report(run, path)
write_report <- function(run, path, title = NULL, level = 0.95, by = "curvature", models = list()) {
  check_run(run)
  check_uncertainty(by, level, 999, 1)
  if (!rlang::is_string(path) || !grepl("\\.html?$", path)) {
    refuse("file", c("{.arg path} must be the name of a file that ends in {.file .html}.", "x" = "It is {.val {path}}."))
  }
  for (package in c("htmltools", "base64enc", "ragg")) need_package(package, "to write reports")
  page <- report_page(run, title %||% expression_text(formula(run)), level, by, models)
  write_whole(path, function(beside) writeLines(enc2utf8(page), beside, useBytes = TRUE))
}

report_page <- function(run, title, level, by, models) {
  h <- htmltools::tags
  table <- suppressWarnings(uncertainty(run, by = by, level = level, seed = 1), classes = "tundrel_warning_uncertainty")
  body <- h$main(
    h$h1(title),
    report_answer(run, table, level),
    report_parameters(run, table, level),
    if (is.null(run$problem$own$fun)) {
      htmltools::tagList(
        h$h2("The fitted curve"),
        report_picture(plot_fit(run), paste("Measurements and fitted curve of", expression_text(formula(run))))
      )
    },
    if (length(models)) report_models(run, models),
    h$h2("What is left over"),
    report_picture(plot_residuals_or_null(run), "Standardised residuals against fitted values, the predictor, normal quantiles and row order"),
    report_checks(run),
    report_fit_table(run),
    report_run(run),
    report_conditions(run),
    report_measurements(run),
    report_reproduction()
  )
  style <- paste(readLines(system.file("report", "report.css", package = "tundrel")), collapse = "\n")
  page <- h$html(
    lang = "en",
    h$head(
      h$meta(charset = "utf-8"), h$title(title),
      h$meta(name = "viewport", content = "width=device-width, initial-scale=1"), h$style(htmltools::HTML(style))
    ),
    h$body(body)
  )
  paste0("<!DOCTYPE html>\n", htmltools::doRenderTags(page))
}

plot_residuals_or_null <- function(run) if (has_residual_scale(run)) plot_residuals(run)

# Residuals that can be told large from small.
has_residual_scale <- function(run) {
  !is_value_run(run) && run$problem$criterion$kind != "density" && stats::df.residual(run) > 0
}

# The answer in one paragraph, first of all.
report_answer <- function(run, table, level) {
  h <- htmltools::tags
  # the surest way that was asked for speaks
  surest <- intersect(c("profile", "bootstrap", "percentile", "curvature"), table$by)[1]
  shown <- table[table$by == surest, ]
  answers <- paste0(shown$parameter, " = ", format_number(shown$estimate), interval_words(shown))
  verdict <- if (run$converged) "good" else "bad"
  htmltools::tagList(
    h$p(
      class = "answer",
      "The model", h$code(expression_text(formula(run))),
      paste0("was fitted to ", count_of(run$n, "row"), " by ", problem_criterion_text(run$problem), ". The answer, with ",
        format_number(100 * level), " % intervals by ", surest, ":"),
      h$strong(paste0(paste(answers, collapse = ", "), "."))
    ),
    h$p(class = paste("verdict", verdict), stop_line(run))
  )
}

# " (9.04 to 9.38)", " (30.1 or more)"
interval_words <- function(rows) {
  low <- format_number(rows$lower, 3)
  high <- format_number(rows$upper, 3)
  words <- ifelse(is.finite(rows$lower) & is.finite(rows$upper), paste(low, "to", high),
    ifelse(is.finite(rows$lower), paste(low, "or more"), ifelse(is.finite(rows$upper), paste(high, "or less"), rows$note)))
  words[is.na(rows$lower) | is.na(rows$upper)] <- rows$note[is.na(rows$lower) | is.na(rows$upper)]
  ifelse(nzchar(words), paste0(" (", words, ")"), "")
}

report_parameters <- function(run, table, level) {
  h <- htmltools::tags
  shown <- tibble(
    parameter = table$parameter, estimate = table$estimate, `standard error` = table$std_error,
    lower = table$lower, upper = table$upper, by = table$by, start = unname(run$start[table$parameter]), note = table$note
  )
  several <- length(unique(table$by)) > 1
  repeated <- duplicated(table$parameter)
  shown$parameter[repeated] <- ""
  shown[repeated, c("estimate", "start")] <- NA
  htmltools::tagList(
    h$h2("Parameters"),
    report_table(if (several) shown else shown[setdiff(names(shown), "by")]),
    h$p(
      class = "small", paste0(
        "Intervals: ", format_number(100 * level), " %", if (!several) paste0(", by ", table$by[1]), ", with ",
        if (is_likelihood(run$problem)) "normal quantiles." else "Student's t.", if (any(c("bootstrap",
          "percentile") %in% table$by)) " Bootstrap: 999 refits, seed 1."
      )
    ),
    lapply(attr(table, "reading"), h$p),
    if (several) report_picture(plot_uncertainty(table), "Intervals of every parameter by each way, side by side")
  )
}

# Rival models, and what to make of them.
report_models <- function(run, models) {
  h <- htmltools::tags
  table <- rlang::exec(compare_models, `this model` = run, !!!models)
  shown <- tibble::as_tibble(unclass(table)[c("model", "formula", "n_free", "sigma", "aicc", "aicc_weight", "bic_weight", "prediction_error", "log_score")])
  names(shown) <- gsub("_", " ", names(shown))
  names(shown)[names(shown) == "n free"] <- "free parameters"
  htmltools::tagList(
    h$h2("Rival models"),
    report_table(shown[!vapply(shown, function(column) all(is.na(column)), logical(1))]),
    lapply(c(attr(table, "tests")$reading, models_reading(table)), h$p),
    report_picture(plot_models(table), "The models over the measurements, their weights, and how well they predict rows left out")
  )
}

# Checks of the residuals, those that complain first.
report_checks <- function(run) {
  if (!is_checkable(run)) return(NULL)
  checks <- suppressWarnings(check_residuals(run), classes = "tundrel_warning_uncertainty")
  checks <- checks[order(match(checks$verdict, c("fail", "warn", "pass", "skip"))), ]
  shown <- tibble(check = checks$check, verdict = checks$verdict, statistic = checks$statistic,
    p = ifelse(is.na(checks$p_value), "", p_text_each(checks$p_value)), reading = checks$reading)
  htmltools::tagList(report_table(shown), htmltools::tags$p(class = "small", "One check in twenty warns by chance."))
}

p_text_each <- function(p) vapply(p, function(one) if (is.na(one)) "" else p_text(one), character(1))

report_fit_table <- function(run) {
  g <- glance(run)
  known <- rbind(
    tibble(measure = c("value of the criterion", "residual scale (sigma)"), value = c(if (is_likelihood(run$problem)) NA else g$value, g$sigma)),
    fit_measures(g, reference_table(run)), tibble(measure = "degrees of freedom", value = g$df_residual)
  )
  htmltools::tagList(
    htmltools::tags$h2("Fit"),
    report_table(known[!is.na(known$value), ])
  )
}

report_run <- function(run) {
  h <- htmltools::tags
  htmltools::tagList(
    h$h2("The run"),
    h$p(
      paste0(
        format(run$solver), ": ", count_of(run$iterations, "iteration"), ", ", count_of(run$evaluations, "evaluation"),
        if (run$refused) paste0(" (", run$refused, " refused, where the model gave no finite number)"),
        ", ", format_seconds(run$seconds), "."
      )
    ),
    report_picture(plot_trace(run), "Value, scaled gradient and parameters against the iteration")
  )
}

report_conditions <- function(run) {
  conditions <- run$problem$conditions
  h <- htmltools::tags
  if (length(conditions) == 0) return(htmltools::tagList(h$h2("Conditions"), h$p("None were stated.")))
  texts <- unique(vapply(conditions, `[[`, character(1), "text"))
  resting <- names(run$at_bound)[run$at_bound != ""]
  htmltools::tagList(
    h$h2("Conditions"),
    h$ul(lapply(texts, function(text) h$li(h$code(text)))),
    h$p(if (length(resting)) paste0("At a bound: ", paste(resting, collapse = ", "), ".") else "No parameter rests on a bound.")
  )
}

report_measurements <- function(run) {
  data <- run$problem$measurements
  units <- units_of(data)
  columns <- tibble(
    column = names(data), unit = unname(ifelse(names(data) %in% names(units), units[names(data)], "")),
    missing = vapply(data, function(x) sum(is.na(x)), integer(1)),
    `used as` = ifelse(names(data) %in% all.vars(run$problem$model$response), "response",
      ifelse(names(data) %in% run$problem$model$predictors, "predictor", ""))
  )
  dropped <- prepared_of(run)$dropped
  htmltools::tagList(
    htmltools::tags$h2("Measurements"),
    report_table(columns),
    htmltools::tags$p(paste0(count_of(nrow(data), "row"), ", ", nrow(dropped), " left out", dropped_reasons(dropped), "."))
  )
}

report_reproduction <- function() {
  htmltools::tags$p(
    class = "small",
    paste0("Made by tundrel ", utils::packageVersion("tundrel"), " with ", R.version.string, " on ", format(Sys.Date()), ".")
  )
}

report_table <- function(table) {
  h <- htmltools::tags
  numeric <- vapply(table, is.numeric, logical(1))
  class_of <- stats::setNames(ifelse(numeric, "number", "text"), names(table))
  cells <- lapply(table, function(x) if (is.numeric(x)) format_number(x) else x)
  table <- drop_empty(table)
  columns <- names(table)
  h$table(
    h$thead(h$tr(lapply(columns, function(name) h$th(class = class_of[[name]], name)))),
    h$tbody(lapply(seq_len(nrow(table)), function(i) {
      h$tr(lapply(columns, function(name) h$td(class = class_of[[name]], cells[[name]][i])))
    }))
  )
}

report_picture <- function(plot, alternative) {
  if (is.null(plot)) return(htmltools::tags$p("There are no residuals whose size could be judged."))
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  write_picture(plot, path)
  htmltools::tags$figure(htmltools::tags$img(src = base64enc::dataURI(file = path, mime = "image/png"), alt = alternative))
}
