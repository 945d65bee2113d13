# What a report says first: the answer, and what to be careful about.

report_answer <- function(known) {
  h <- htmltools::tags
  run <- known$run
  # the most reliable of the methods that were asked for
  table <- known$uncertainty
  surest <- intersect(surest_first, table$by)[1]
  shown <- table[table$by == surest, ]
  known_widths <- any(!is.na(shown$lower))
  units <- ifelse(shown$unit %in% c("", "1"), "", paste0(" ", shown$unit))
  answers <- paste0(shown$parameter, " = ", cell_texts(shown)$estimate, units, if (known_widths) interval_words(shown))
  asked <- if (has_model(run$problem)) {
    list("The model ", report_code(model_text(run$problem)),
      paste0(" was fitted to ", count_of(run$n, counted(run$problem)), " by ", problem_criterion_text(run$problem), "."))
  } else {
    paste0("A function was made ", if (maximises(run$problem)) "large" else "small", ": ", problem_criterion_text(run$problem), ".")
  }
  htmltools::tagList(
    h$p(
      class = "answer", asked,
      paste0(" The answer", if (known_widths) paste0(", with ", format_number(100 * known$level), " % intervals by ", surest), ": "),
      h$strong(paste0(paste(answers, collapse = ", "), "."))
    ),
    if (has_knowledge(run$problem)) h$p(known_sentence(run)),
    h$p(class = paste("verdict", if (run$converged) "good" else "bad"), stop_line(run))
  )
}

# What went into the answer beside the readings.
known_sentence <- function(run) {
  table <- known_table(run)
  paste0(
    "Beside the readings, what was known before went into it: ", paste(unique(table$condition), collapse = "; "), ". Of what is now known, ",
    and_list(paste0(format_number(100 * table$share, 2), " % of ", table$what)), " was known before."
  )
}

# " (9.04 to 9.38)", " (30.1 or more)"
interval_words <- function(rows) {
  digits <- interval_digits(rows$lower, rows$upper, least = 3)
  low <- format_number(rows$lower, digits, zeros = digits > 4)
  high <- format_number(rows$upper, digits, zeros = digits > 4)
  words <- ifelse(is.finite(rows$lower) & is.finite(rows$upper), paste(low, "to", high),
    ifelse(is.finite(rows$lower), paste(low, "or more"), ifelse(is.finite(rows$upper), paste(high, "or less"), rows$note)))
  words[is.na(rows$lower) | is.na(rows$upper)] <- rows$note[is.na(rows$lower) | is.na(rows$upper)]
  ifelse(nzchar(words), paste0(" (", words, ")"), "")
}

# All cautions of the report.
report_cares <- function(known) {
  h <- htmltools::tags
  cares <- unique(c(
    if (!known$run$converged) "The run did not converge: its numbers are those of where it stopped, not of an optimum.",
    failed_readings(known$solution), parameter_cares(known$uncertainty), run_cares(known), failed_readings(known$residuals), row_cares(known$run)
  ))
  htmltools::tagList(
    h$h2("Cautions"),
    if (length(cares)) h$ul(lapply(cares, h$li)) else h$p("None: all checks passed, and no row was left out.")
  )
}

failed_readings <- function(checks) checks$reading[checks$verdict %in% c("warn", "fail")]

parameter_cares <- function(table) {
  said <- nzchar(table$code) & !has_code(table, c("fixed", "tied"))
  paste0(table$parameter[said], ": ", table$note[said], " (by ", table$by[said], ").", recycle0 = TRUE)
}

run_cares <- function(known) {
  if (is.null(known$runs)) return(NULL)
  best <- best_value_run(known$runs)
  if (best == "this run") return(NULL)
  paste0("Another run, ", best, ", reached a better value: this report is not on the best answer known.")
}

best_value_run <- function(runs) {
  table <- rlang::exec(compare_runs, !!!runs)
  here <- table$optimum[table$run == "this run"]
  if (identical(here, table$optimum[1])) "this run" else table$run[1]
}

row_cares <- function(run) {
  dropped <- compiled_of(run)$dropped
  c(
    if (nrow(dropped)) paste0(count_of(nrow(dropped), counted(run$problem)), if (nrow(dropped) == 1) " was" else " were", " left out", dropped_reasons(dropped), "."),
    if (run$refused) paste0(count_of(run$refused, "point"),
      " on the way gave no finite number and ", if (run$refused == 1) "was" else "were", " stepped around.")
  )
}
