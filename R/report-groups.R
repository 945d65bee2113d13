# The report of many groups.

report_group_sections <- function(fits) {
  h <- htmltools::tags
  problem <- fits$problem
  reading <- fits_reading(fits)
  list(
    h$p(class = "answer", "The model ", report_code(model_text(problem)), paste0(" was fitted to each of ", count_of(length(fits), "group"),
      " by ", paste(problem$by, collapse = " and "), ", by ", problem_criterion_text(problem), ".")),
    h$p(class = paste("verdict", if (all(fits$converged)) "good" else "bad"), paste(reading, collapse = " ")),
    h$h2("Data and model"),
    report_formulas(problem),
    if (length(problem$conditions)) h$p(paste0("In every group: ", paste(condition_texts(problem), collapse = "; "), ".")),
    h$h2("How parameters spread over the groups"), report_table(with_unit_labels(spread_table(fits))),
    report_group_pictures(fits),
    h$h2("Every group"), report_table(wide_group_table(fits)),
    report_small("Estimates with standard errors by curvature."),
    h$h2("Reproduce these results"),
    report_fingerprint(table_as_posed(problem)),
    report_made_by()
  )
}

# Pages of small multiples; of very many groups those that need a look come first.
most_group_pages <- 4

report_group_pictures <- function(fits) {
  h <- htmltools::tags
  if (length(fits$problem$model$predictors) != 1 || !is_compiled(fits$problem)) return(NULL)
  odd <- unique(c(which(!fits$converged), unlist(outlying_groups(fits))))
  order <- c(odd, setdiff(seq_along(fits$converged), odd))
  pages <- min(most_group_pages, ceiling(length(order) / 20))
  htmltools::tagList(
    h$h2("Curves"),
    lapply(seq_len(pages), function(page) {
      report_picture(plot_groups(fits, page, which = order), paste0("Groups, page ", page, if (length(odd)) "; those that need a look come first", "."),
        "Measurements of each group as points with its fitted curve")
    }),
    if (length(order) > 20 * pages) report_small("Drawn are ", 20 * pages, " of ", length(order), " groups; plot_groups() draws the others.")
  )
}

wide_group_table <- function(fits) {
  table <- coef_table(fits)
  table <- table[!table$parameter %in% fits$shared, ]
  said <- paste0(format_number(table$estimate), ifelse(is.na(table$std_error), "", paste0(" \u00b1 ", format_number(table$std_error, 2))))
  parameters <- unique(table$parameter)
  wide <- as_tibble(stats::setNames(lapply(parameters, function(name) said[table$parameter == name]), unit_labels(parameters, units_of(fits))))
  beside(fits$groups$keys, wide, tibble(value = fits$value, `stop reason` = fits$reason, trouble = fits$trouble))
}
