# Parts of the page as HTML, from the state and from what was found. All texts go in as texts, which htmltools escapes.

# A button that does an act; `from` names fields whose values go with it.
page_button <- function(id, label, act, arguments = list(), from = character(), kind = "outline-primary", ..., disabled = FALSE) {
  htmltools::tags$button(
    type = "button", id = id, class = paste0("btn btn-sm btn-", kind), `data-act` = act, `data-arguments` = act_json(arguments),
    `data-from` = paste(from, collapse = " "), disabled = if (disabled) NA, ..., label
  )
}

act_json <- function(x) if (length(x)) as.character(jsonlite::toJSON(x, auto_unbox = TRUE, null = "null", digits = NA)) else "{}"

# An id may hold no space.
id_of <- function(...) gsub("[[:space:]]+", "_", paste(..., sep = "-"))

page_table <- function(table, ..., id = NULL) {
  h <- htmltools::tags
  is_number <- vapply(table, is.numeric, NA)
  table[] <- lapply(table, function(x) if (is.logical(x)) ifelse(x %in% TRUE, "yes", "no") else x)
  cells <- cell_texts(table)
  h$div(class = "wide", h$table(
    id = id, class = "table table-sm", ...,
    h$thead(h$tr(Map(function(name, number) h$th(scope = "col", class = if (number) "number", name), names(table), is_number))),
    h$tbody(lapply(seq_len(nrow(table)), function(i) h$tr(Map(function(x, number) h$td(class = if (number) "number", x[i]), unname(cells), is_number))))
  ))
}

page_options <- function(values, labels = values, chosen = NULL) {
  Map(function(value, label) htmltools::tags$option(value = value, selected = if (value %in% chosen) NA, label), values, labels)
}

page_field <- function(id, label, ..., hint = NULL) {
  h <- htmltools::tags
  h$div(class = "field", h$label(`for` = id, label), ..., if (!is.null(hint)) h$div(class = "hint", id = paste0(id, "-hint"), hint))
}

page_text <- function(id, value = "", ...) htmltools::tags$input(type = "text", id = id, class = "form-control form-control-sm", value = value, autocomplete = "off", spellcheck = "false", ...)

sentence_list <- function(texts, class = "reading") if (length(texts)) htmltools::tags$ul(class = class, lapply(texts, htmltools::tags$li))

# What the checks of residuals that a criterion can answer to have found.
told_by_residuals <- function(checks) {
  odd <- checks[checks$check %in% c("spread", "normality", "outliers", "dispersion") & checks$verdict %in% c("warn", "fail"), ]
  if (NROW(odd)) paste("The residuals say:", odd$reading)
}

view_sessions <- function(folder) {
  h <- htmltools::tags
  sessions <- basename(stored_sessions(folder))
  htmltools::tagList(
    h$label(class = "visually-hidden", `for` = "sessions", "Earlier sessions"),
    h$select(id = "sessions", class = "form-select form-select-sm", page_options(c("", seq_along(sessions)), c("Earlier sessions", sessions)))
  )
}

# Table.

shown_rows <- 8

view_table <- function(state) {
  h <- htmltools::tags
  if (is.null(state$data)) return(NULL)
  data <- state$data
  columns <- column_summary(data)
  columns$missing <- ifelse(columns$missing > 0, paste0(columns$missing, " (", vapply(names(data), function(name) few_rows(which(is.na(data[[name]]))), ""), ")"), "none")
  columns$unit <- ifelse(nzchar(columns$unit), columns$unit, "\u2013")
  numbers <- names(data)[vapply(data, is.numeric, NA)]
  guess <- tryCatch(guessed_columns(data, state$source), tundrel_error = function(e) list())
  chosen <- chosen_columns(state)
  first <- utils::head(tibble::as_tibble(unclass_measurements(data)), shown_rows)
  htmltools::tagList(
    h$p(h$strong(state$source, .noWS = "after"), paste0(": ", count_of(nrow(data), "row"), ", ", count_of(ncol(data), "column"), ".")),
    sentence_list(attr(data, "understood")),
    page_table(columns[c("column", "unit", "type", "missing", "smallest", "largest")], id = "columns"),
    h$details(h$summary(paste0("First ", min(shown_rows, nrow(data)), " rows")), page_table(first)),
    if (length(numbers) > 1) {
      h$div(class = "row-of-fields",
        page_field("measured", "What is measured", h$select(id = "measured", class = "form-select form-select-sm", page_options(numbers, chosen = chosen$response %||% guess$response))),
        page_field("explains", "What explains it", h$select(id = "explains", class = "form-select form-select-sm", page_options(numbers, chosen = chosen$predictor %||% guess$predictor))),
        page_button("choose-columns", "Choose", "columns", from = c("measured", "explains"))
      )
    },
    view_groups(state), view_left_out(state)
  )
}

# "row 3", "rows 3, 9, 12 and 20 more"
few_rows <- function(rows) if (length(rows) > 5) paste0("rows ", paste(rows[1:4], collapse = ", "), " and ", length(rows) - 4, " more") else if (length(rows)) name_rows(rows) else ""

chosen_columns <- function(state) {
  model <- state$problem$model
  if (is.null(model)) return(state$columns)
  list(response = if (is.symbol(model$response)) as.character(model$response), predictor = shape_predictors(state$problem)[1])
}

view_groups <- function(state) {
  h <- htmltools::tags
  data <- state$data
  few <- vapply(data, function(x) (is.character(x) || is.factor(x) || is.logical(x) || (is.numeric(x) && all(x == round(x), na.rm = TRUE))) && length(unique(x)) < nrow(data) && length(unique(x)) > 1, NA)
  if (!any(few)) return(NULL)
  names <- names(data)[few]
  h$details(
    open = if (length(state$by)) NA, h$summary("Groups: a curve of its own for each"),
    h$div(class = "row-of-fields",
      page_field("group-by", "Column that says which", h$select(id = "group-by", class = "form-select form-select-sm", page_options(c("", names), c("no groups", names), chosen = state$by %||% ""))),
      if (!is.null(state$problem) && length(state$by)) page_field("group-shared", "Parameters that all share", page_text("group-shared", paste(state$shared, collapse = ", "))),
      page_button("set-groups", "Set", "groups", from = c("group-by", "group-shared"))
    ),
    h$p(class = "hint", "To compare groups within one fit, write a parameter with levels in the model instead, such as top[site].")
  )
}

view_left_out <- function(state) {
  h <- htmltools::tags
  entries <- if (!is.null(state$problem)) planned_left_out(state$problem)
  htmltools::tagList(
    if (length(entries)) {
      h$ul(class = "left-out", id = "left-out-rows", lapply(entries, function(entry) {
        rows <- unlist(entry$rows)
        h$li(
          paste0("Left out: ", few_rows(rows), if (nzchar(entry$reason)) paste0(" (", entry$reason, ")")), " ",
          page_button(id_of("bring-back", rows[1]), "Bring back", "put_back", list(rows = as.list(rows)), kind = "link")
        )
      }))
    }
  )
}

# Starts.

view_starts <- function(state, ranges) {
  h <- htmltools::tags
  problem <- state$problem
  if (is.null(problem)) return(h$p(class = "hint", "Parameters appear here as soon as there is a model."))
  status <- parameter_status(problem)
  settled <- parameter_table(problem)
  units <- unit_column(problem, settled$parameter)
  rows <- lapply(seq_len(nrow(settled)), function(i) {
    name <- settled$parameter[i]
    if (!name %in% status$free) return(h$div(class = "parameter", h$span(class = "name", name), h$span(class = "hint", settled$status[i])))
    parameter_row(name, ranges[[name]], units[i])
  })
  htmltools::tagList(
    h$div(class = "parameters", role = "group", `aria-label` = "Starting values", rows),
    view_kept(state)
  )
}

slider_steps <- 1000

# Its value is told apart, as it changes with every pull.
parameter_row <- function(name, range, unit = "") {
  h <- htmltools::tags
  log <- isTRUE(attr(range, "log"))
  h$div(class = "parameter", id = id_of("parameter", name),
    h$label(class = "name", `for` = id_of("start", name), name, if (!unit %in% c("", "1")) h$span(class = "unit", unit)),
    h$input(
      type = "range", id = id_of("pull", name), min = 0, max = slider_steps, step = 1, value = 0,
      `data-pull` = name, `data-low` = shortest_digits(range[1]), `data-high` = shortest_digits(range[2]), `data-log` = if (log) "yes",
      `aria-label` = paste("Pull", name)
    ),
    h$input(type = "text", inputmode = "decimal", id = id_of("start", name), class = "form-control form-control-sm number", `data-start` = name, autocomplete = "off"),
    h$details(class = "range", h$summary(`aria-label` = paste("Range of", name), "\u2026"),
      h$div(class = "row-of-fields",
        page_field(id_of("from", name), "from", page_text(id_of("from", name), rounded_text(range[1]))),
        page_field(id_of("to", name), "to", page_text(id_of("to", name), rounded_text(range[2]))),
        h$label(class = "check", h$input(type = "checkbox", id = id_of("log", name), checked = if (log) NA), "orders of magnitude"),
        page_button(id_of("set-range", name), "Set range", "range", list(parameter = name), from = c(id_of("from", name), id_of("to", name), id_of("log", name)))
      )
    )
  )
}

# By parameter: its value as it is written, and where on its slider it stands.
values_at_start <- function(problem, ranges) {
  lapply(stats::setNames(nm = parameter_status(problem)$free), function(name) {
    value <- problem$start[[name]]
    range <- ranges[[name]]
    share <- if (isTRUE(attr(range, "log"))) log(value / range[1]) / log(range[2] / range[1]) else (value - range[1]) / (range[2] - range[1])
    list(text = rounded_text(value), said = format_number(value), step = if (is.finite(share)) round(slider_steps * share) else 0)
  })
}

# Seven digits are enough to look at, and are what is taken where a number was typed; the state keeps all of them.
rounded_text <- function(x) format(signif(x, 7), digits = 7, trim = TRUE, scientific = if (x != 0 && (abs(x) >= 1e6 || abs(x) < 1e-4)) TRUE else FALSE)

view_kept <- function(state) {
  h <- htmltools::tags
  if (length(state$kept) == 0) return(NULL)
  h$ul(id = "kept-starts", lapply(seq_along(state$kept), function(i) {
    h$li(paste0("Start ", i, ": ", told_values(state$kept[[i]])), " ", page_button(id_of("take-start", i), "Take", "take_start", list(number = i), kind = "link"))
  }))
}

# The range of each slider: what was stated, where a position was measured, or around the value; wide enough for the value.
slider_ranges <- function(problem, before = list()) {
  status <- parameter_status(problem)
  places <- tryCatch(parameter_places(problem$model, status), error = function(e) character())
  lapply(rlang::set_names(status$free), function(name) {
    value <- problem$start[[name]]
    stated <- problem$search_box[[name]]
    usual <- stated %||% before[[name]] %||% range_around(problem, name, value, if (name %in% names(places)) places[[name]] else "")
    if (value >= usual[1] && value <= usual[2]) return(usual)
    if (!is.null(stated)) return(structure(range(stated, value), log = if (min(stated, value) > 0) attr(stated, "log")))
    range_around(problem, name, value, "")
  })
}

range_around <- function(problem, name, value, place) {
  if (nzchar(place) && !is_derived(place)) {
    reach <- range(number_columns(problem$measurements, place, seq_len(nrow(problem$measurements)))[[1]], finite = TRUE)
    if (diff(reach) > 0 && value >= reach[1] && value <= reach[2]) return(reach)
  }
  limits <- stated_limits(problem)
  ends <- if (value == 0) c(-1, 1) else sort(c(-0.5, 3) * value)
  ends <- if (limits$lower[[name]] >= 0 && value > 0) c(max(0, limits$lower[[name]]), 3 * value) else ends
  c(max(ends[1], limits$lower[[name]]), min(ends[2], limits$upper[[name]]))
}

# Conditions and criterion.

view_conditions <- function(state, run = NULL) {
  h <- htmltools::tags
  if (is.null(state$problem)) return(NULL)
  at_answer <- if (!is.null(run) && identical(condition_texts(run$problem), condition_texts(state$problem))) conditions_table(run)
  texts <- condition_texts(state$problem)
  h$ul(id = "conditions", lapply(seq_along(texts), function(k) {
    text <- texts[k]
    mine <- Filter(function(c) c$text == text, c(state$problem$conditions, state$problem$known))
    share <- at_answer$share[at_answer$condition == text]
    active <- if (is.null(at_answer)) "" else if (any(!is.na(share))) paste0(", ", paste(format_number(100 * share, 2), collapse = " and "), " % of what is known of it at the answer") else if (any(at_answer$active[at_answer$condition == text])) ", active at the answer" else ", not active at the answer"
    h$li(
      h$code(text), paste0(" ", condition_words(mine), active), " ",
      page_button(id_of("drop-condition", k), "Remove", "drop_condition", list(text = text), kind = "link", `aria-label` = paste("Remove the condition", text))
    )
  }))
}

# A sentence that is being typed, read back.
condition_read_back <- function(problem, text) {
  stated <- subject_to(problem, text = text)
  limits <- utils::tail(stated$conditions, length(stated$conditions) - length(problem$conditions))
  new <- c(limits, utils::tail(stated$known, length(stated$known) - length(problem$known)))
  missed <- any(vapply(limits, is_missed, NA, values = problem$start))
  paste0("Understood: ", condition_words(new), if (missed) "; the start does not satisfy it and will be moved")
}

# `checks` of the residuals, where there are some, say what the criterion may have to allow for.
view_criterion <- function(state, checks = NULL) {
  h <- htmltools::tags
  if (is.null(state$problem)) return(NULL)
  choices <- page_criteria()
  keys <- vapply(choices, `[[`, "", "key")
  key <- if (has_responses(state$problem)) "least_squares" else criterion_key(state$problem)
  responses <- if (has_responses(state$problem)) response_names(state$problem)
  htmltools::tagList(
    h$p(id = "criterion-now", h$strong("Now:"), paste0(problem_criterion_text(state$problem), ". ", if (key %in% keys) choices[[match(key, keys)]]$assumes)),
    h$div(class = "row-of-fields",
      if (length(responses)) page_field("criterion-response", "Of", h$select(id = "criterion-response", class = "form-select form-select-sm", page_options(responses))),
      page_field("criterion", "What close means", h$select(id = "criterion", class = "form-select form-select-sm", `data-tells` = "criterion-assumes", Map(function(one) {
        h$option(value = one$key, selected = if (one$key == key) NA, `data-assumes` = one$assumes, `data-details` = one$details, one$label)
      }, choices))),
      page_field("criterion-details", "Details", page_text("criterion-details", criterion_details(state$problem))),
      page_button("set-criterion", "Set", "criterion", from = c("criterion", "criterion-details", "criterion-response"))
    ),
    h$p(class = "hint", id = "criterion-assumes", `aria-live` = "polite"),
    sentence_list(told_by_residuals(checks))
  )
}
