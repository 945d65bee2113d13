# Runs, what compares and checks them, and what is handed over, as HTML.

# `results` holds what was found, by the id of a run; `underway` the id of the run that is being made, and `chosen` the label of the
# run that is looked at.
view_runs <- function(state, results, underway = NULL, chosen = NULL) {
  h <- htmltools::tags
  if (length(state$asked) == 0) return(h$p(class = "hint", "No run yet."))
  rows <- lapply(state$asked, function(asked) {
    result <- results[[as.character(asked$id)]]
    h$tr(
      class = if (identical(asked$label, chosen)) "chosen",
      h$td(h$label(class = "check", h$input(type = "radio", name = "chosen-run", id = id_of("choose", asked$label), `data-choose` = asked$label, checked = if (identical(asked$label, chosen)) NA), asked$label)),
      h$td(told_run(asked)), result_cells(asked, result, identical(asked$id, underway))
    )
  })
  htmltools::tagList(
    h$div(class = "wide", h$table(class = "table table-sm", id = "runs",
      h$thead(h$tr(lapply(c("run", "what", "value", "how it ended", "evaluations", "time"), function(x) h$th(scope = "col", x)))), h$tbody(rows)
    )),
    view_chosen(state, results, chosen)
  )
}

result_cells <- function(asked, result, is_underway) {
  h <- htmltools::tags
  if (is.null(result)) return(h$td(colspan = 4, if (is_underway) "under way \u2026" else "waiting"))
  if (!is.null(result$refused)) return(h$td(colspan = 4, class = "refused", result$refused))
  if (!is.null(result$fits)) {
    fits <- result$fits
    return(list(h$td(""), h$td(paste0(sum(fits$converged), " of ", length(fits), " groups converged")), h$td(class = "number", format(sum(fits$evaluations), big.mark = ",")), h$td("")))
  }
  run <- result$run
  ended <- if (isTRUE(result$under_way)) "was interrupted; go on to the end" else if (run$stop_reason == "none") "can go on" else if (run$converged) "converged" else paste("not converged:", gsub("_", " ", run$stop_reason))
  list(h$td(class = "number", format_number(run$value, 6)), h$td(ended), h$td(class = "number", format(run$evaluations, big.mark = ",")), h$td(class = "number", format_seconds(run$seconds)))
}

run_buttons <- function(asked, result) {
  if (is.null(result)) return(NULL)
  run <- result$run
  list(
    if (!is.null(run) && asked$scope == "local" && is.finite(asked$iterations) && run$stop_reason == "none") {
      list(
        page_button(id_of("one-more", asked$label), "One more iteration", "further", list(label = asked$label, iterations = 1)),
        page_button(id_of("ten-more", asked$label), "Ten more", "further", list(label = asked$label, iterations = 10)),
        page_button(id_of("finish", asked$label), "To the end", "further", list(label = asked$label))
      )
    },
    if (!is.null(run) && asked$scope == "local" && run$stop_reason == "interrupted") page_button(id_of("finish", asked$label), "To the end", "further", list(label = asked$label)),
    if (isTRUE(result$under_way)) page_button(id_of("go-on", asked$label), "Go on", "resume", list(label = asked$label)),
    if (!is.null(run)) page_button(id_of("start-from", asked$label), "Start from here", "start_from_run", list(label = asked$label), kind = "link")
  )
}

# The answer that is looked at.
view_chosen <- function(state, results, chosen) {
  h <- htmltools::tags
  if (is.null(chosen)) return(NULL)
  asked <- asked_of(state, chosen)
  result <- results[[as.character(asked$id)]]
  if (!is.null(result$fits)) {
    fits <- result$fits
    table <- coef_table(fits)
    most <- 60
    return(h$div(id = "answer", h$h3(paste0("Run ", chosen)), sentence_list(fits_reading(fits)), page_table(with_unit_labels(utils::head(table, most))), if (nrow(table) > most) h$p(class = "hint", paste0("The first ", most, " of ", format(nrow(table), big.mark = ","), " rows; the whole table is handed over in step 7."))))
  }
  run <- result$run
  if (is.null(run)) return(NULL)
  table <- tibble::as_tibble(unclass(quiet_uncertainty(run, "curvature")))[c("parameter", "estimate", "std_error", "lower", "upper", "unit")]
  h$div(
    id = "answer", h$h3(paste0("Run ", chosen)), h$div(class = "acts", run_buttons(asked, result)), h$p(class = paste("verdict", if (run$converged) "good" else "bad"), stop_line(run)),
    sentence_list(result$told), page_table(with_unit_labels(table), id = "estimates"), sentence_list(result$reading)
  )
}

view_use <- function(state, results, found, chosen) {
  h <- htmltools::tags
  asked <- if (!is.null(chosen)) asked_of(state, chosen)
  result <- if (!is.null(asked)) results[[as.character(asked$id)]]
  if (is.null(result$run)) return(h$p(class = "hint", if (is.null(result$fits)) "There is something to compare, check and use as soon as a run has ended." else "Groups are looked at one by one in R; the report below holds all of them."))
  predictor <- shape_predictors(asked$problem)
  htmltools::tagList(
    view_comparison(state, results, found),
    h$h3("How sure is each parameter?"),
    h$div(class = "row-of-fields",
      h$fieldset(h$legend(class = "visually-hidden", "Ways"), lapply(c("curvature", "profile", "bootstrap"), function(way) {
        h$label(class = "check", h$input(type = "checkbox", id = id_of("way", way), checked = if (way %in% found$ways) NA), way)
      })),
      page_button("find-uncertainty", "Find intervals", "uncertainty", list(label = chosen), from = paste0("way-", c("curvature", "profile", "bootstrap")))
    ),
    found_part(found$uncertainty, function(table) htmltools::tagList(page_table(interval_columns(table), id = "intervals"), sentence_list(attr(table, "reading")))),
    h$h3("Is it an optimum, and what do the residuals say?"),
    page_button("check-run", "Check", "checks", list(label = chosen)),
    found_part(found$checks, view_checks),
    if (!is.null(found$residual_picture)) h$img(class = "figure", id = "residual-picture", src = found$residual_picture, alt = "Residuals of the run in four panels"),
    if (length(predictor) == 1 && is.null(asked$problem$by)) {
      htmltools::tagList(
        h$h3("Read off the curve"),
        h$div(class = "row-of-fields",
          page_field("read-x", paste("At", predictor), page_text("read-x")), page_button("read-value", "The curve there", "read_value", list(label = chosen), from = "read-x"),
          page_field("read-y", paste("Where it reaches", response_label(asked$problem)), page_text("read-y")), page_button("read-place", "The place", "read_place", list(label = chosen), from = "read-y")
        ),
        h$p(id = "read-off", `aria-live` = "polite", found$read_off)
      )
    },
    if (has_curve(asked$problem) && is.null(asked$problem$by)) view_next(found, chosen, asked$problem),
    h$h3("Derived quantities"),
    h$div(class = "row-of-fields",
      page_field("derive-name", "Name", page_text("derive-name", placeholder = "half_life")), page_field("derive-text", "Expression of the parameters", page_text("derive-text", placeholder = "log(2) / k")),
      page_button("add-derived", "Derive", "derive", from = c("derive-name", "derive-text"))
    ),
    if (length(state$derived)) h$ul(id = "derived", Map(function(name, text) {
      h$li(h$code(paste(name, "=", text)), " ", page_button(id_of("drop-derived", name), "Remove", "drop_derived", list(name = name), kind = "link"))
    }, names(state$derived), state$derived)),
    found_part(found$derived, function(table) page_table(interval_columns(table), id = "derived-values"))
  )
}

few_columns <- function(table, names) drop_empty(tibble::as_tibble(unclass(table))[intersect(names, names(table))])
interval_columns <- function(table) with_unit_labels(few_columns(table, c("parameter", "estimate", "std_error", "lower", "upper", "by", "note", "unit")))

# What a job found, or the sentence with which it was refused.
found_part <- function(found, view) {
  if (is.null(found)) return(NULL)
  if (identical(found, "under way")) return(htmltools::tags$p(class = "hint", "Under way \u2026"))
  if (!is.null(found$refused)) return(htmltools::tags$p(class = "refused", found$refused))
  htmltools::tagList(sentence_list(found$told, "told"), view(found$value))
}

view_checks <- function(value) {
  h <- htmltools::tags
  both <- c(list(value$solution), list(value$residuals))
  rows <- do.call(rbind, lapply(Filter(Negate(is.null), both), function(x) tibble::as_tibble(unclass(x))[c("check", "verdict", "reading")]))
  said <- c(pass = "\u2713 pass", warn = "! warn", fail = "\u2717 fail", skip = "\u2013 skip")
  h$table(class = "table table-sm", id = "checks", h$tbody(lapply(seq_len(nrow(rows)), function(i) {
    h$tr(class = paste0("verdict-", rows$verdict[i]), h$td(said[[rows$verdict[i]]]), h$th(scope = "row", rows$check[i]), h$td(rows$reading[i]))
  })))
}

# Runs of one problem are compared by where they came to, others as models.
view_comparison <- function(state, results, found) {
  h <- htmltools::tags
  ended <- Filter(function(asked) !is.null(results[[as.character(asked$id)]]$run), state$asked)
  if (length(ended) < 2) return(NULL)
  htmltools::tagList(
    h$h3("Compare the runs"), page_button("compare-runs", "Compare", "compare"),
    found_part(found$comparison, function(value) htmltools::tagList(
      if (!is.null(value$runs)) htmltools::tagList(page_table(few_columns(value$runs$table, c("run", "solver", "optimum", "value", "gap", "converged", "evaluations")), id = "comparison"), sentence_list(value$runs$reading)),
      if (!is.null(value$models)) htmltools::tagList(h$h3("Models"), page_table(few_columns(value$models$table, c("model", "n_free", "sigma", "aicc", "aicc_weight", "prediction_error", "log_score")), id = "model-comparison"), sentence_list(value$models$reading)),
      sentence_list(value$aside, "told"),
      if (!is.null(value$answers)) htmltools::tagList(h$h3(paste0("Run ", value$answers$of[1], " before, run ", value$answers$of[2], " after")), page_table(few_columns(value$answers$table, names(value$answers$table)), id = "answers"), sentence_list(value$answers$reading))
    ))
  )
}

view_history <- function(history) {
  h <- htmltools::tags
  acts <- utils::tail(c(history$past, list(history$now)), 12)
  h$ol(reversed = NA, start = length(history$past) + 1, lapply(rev(acts), function(state) h$li(state$last$said, if (nzchar(paste(state$last$line, collapse = ""))) h$code(paste(state$last$line, collapse = " ")))))
}

# The catalogue by what a model is for.
view_catalogue <- function() {
  h <- htmltools::tags
  all <- lapply(rlang::set_names(catalogue_names()), model)
  h$select(id = "catalogue", class = "form-select form-select-sm", h$option(value = "", "Choose a model by what it is for"), Map(function(name, one) {
    h$option(value = name, paste0(one$title, " (", paste(utils::head(one$used_for, 3), collapse = ", "), ")"))
  }, names(all), all))
}

view_ranking <- function(found) {
  found_part(found, function(table) {
    h <- htmltools::tags
    runs <- attr(table, "runs")
    shown <- utils::head(tibble::as_tibble(unclass(table)), 8)
    keep <- intersect(c("model", "n_free", "aicc_weight", "prediction_error", "remark"), names(shown))
    cells <- cell_texts(shown[keep])
    take <- function(name) if (!is.null(runs[[name]])) page_button(id_of("take", name), "Take", "take_model", list(model = name))
    rows <- lapply(seq_len(nrow(shown)), function(i) h$tr(h$td(take(shown$model[i])), lapply(unname(cells), function(x) h$td(x[i]))))
    htmltools::tagList(
      h$div(class = "wide", h$table(class = "table table-sm", id = "ranking", h$thead(h$tr(lapply(c("", keep), function(x) h$th(scope = "col", x)))), h$tbody(rows))),
      sentence_list(attr(table, "reading"))
    )
  })
}
