# The page as it is sent: the order of the work from top to bottom, and the picture beside it, which stays in view. What depends on the
# state is filled in by page-server.R.

page_ui <- function() {
  h <- htmltools::tags
  # written out once, so that it opens at once
  body <- htmltools::renderTags(page_body())
  htmltools::tagList(
    h$head(h$title("Tundrel"), h$meta(name = "viewport", content = "width=device-width, initial-scale=1"), h$link(rel = "icon", href = "data:,")),
    bootstrap_styles(), page_resources(), htmltools::attachDependencies(htmltools::HTML(body$html), body$dependencies)
  )
}

# Bootstrap's styles as bslib brings them, compiled: to compile them here takes a second.
bootstrap_styles <- function() {
  path <- bslib::precompiled_css_path()
  htmltools::htmlDependency("bootstrap-styles", utils::packageVersion("bslib"), src = dirname(path), stylesheet = basename(path), all_files = FALSE)
}

page_body <- function() {
  h <- htmltools::tags
  htmltools::tagList(
    h$a(class = "visually-hidden-focusable", href = "#step-table", "Skip to the work"),
    h$header(
      h$h1("Tundrel"), h$span(id = "session-name"),
      h$div(class = "acts", page_button("undo", "Undo", "undo", disabled = TRUE), page_button("redo", "Redo", "redo", disabled = TRUE)),
      h$div(class = "acts",
        h$span(id = "sessions-view"),
        page_button("open-session", "Open", "open_session", from = "sessions"), page_button("new-session", "Begin anew", "new_session", kind = "outline-secondary")
      )
    ),
    h$div(id = "lost", role = "alert", hidden = NA, "The connection to R has ended. What was done is kept: start the page again, and it opens where it was."),
    h$div(id = "work", page_picture_frame(), h$main(id = "steps", step_table(), step_model(), step_starts(), step_limits(), step_fit(), step_use(), step_hand_over()))
  )
}

page_resources <- function() {
  htmltools::htmlDependency("tundrel-page", utils::packageVersion("tundrel"), src = system.file("page", package = "tundrel"), script = "page.js", stylesheet = "page.css")
}

page_picture_frame <- function() {
  h <- htmltools::tags
  h$aside(
    id = "view", `aria-label` = "Picture",
    h$div(id = "picture-frame",
      h$img(id = "picture", alt = "Readings, and the curve over them"), htmltools::tag("svg", list(id = "overlay", `aria-hidden` = "false", role = "group", `aria-label` = "Curves and handles")),
      h$div(id = "note", role = "status")
    ),
    htmltools::tag("svg", list(id = "residual-strip", role = "img", `aria-label` = "Residuals along the axis")),
    h$div(id = "figures",
      h$span("Value ", h$strong(id = "value", `aria-live` = "off", "\u2013")), h$span(id = "value-of"), h$span(id = "best-value"),
      h$label(class = "check", h$input(type = "checkbox", id = "components"), "components of a sum")
    ),
    h$div(id = "legend", `aria-hidden` = "true", h$span(class = "key start"), "start ", h$span(class = "key fit"), "run "),
    h$div(id = "remark", class = "hint", role = "status")
  )
}

page_step <- function(id, title, ...) {
  h <- htmltools::tags
  h$section(id = paste0("step-", id), `aria-labelledby` = paste0("heading-", id), h$h2(id = paste0("heading-", id), title), ..., h$div(class = "refused said", id = paste0("said-", id), role = "alert"))
}

view_place <- function(id, ...) htmltools::tags$div(id = id, ...)

step_table <- function() {
  h <- htmltools::tags
  page_step(
    "table", "1. Table",
    h$div(class = "row-of-fields",
      shiny::fileInput("file", "Open a file (CSV, TSV, XLSX), or drag one in", accept = c(".csv", ".tsv", ".txt", ".dat", ".xlsx")),
      page_field("demo", "Or take demo data", h$select(id = "demo", class = "form-select form-select-sm", page_options(c("", demo_tables()), c("Choose", demo_tables())))),
      page_button("take-demo", "Take", "demo", from = "demo")
    ),
    h$details(
      h$summary(id = "paste-a-table", "Paste a table"),
      page_field("paste", "Lines with a header, and if you like a line of units below it", h$textarea(id = "paste", class = "form-control form-control-sm", rows = 5, spellcheck = "false")),
      page_button("take-pasted", "Read what was pasted", "paste", from = "paste")
    ),
    view_place("table-view"),
    h$div(class = "row-of-fields", id = "leave-out-fields", hidden = NA,
      page_field("leave-rows", "Leave out rows, or where", page_text("leave-rows", placeholder = "27, 30-32 or hour > 30"), hint = "Click a point, or sweep over several, to name them here."),
      page_field("leave-reason", "Reason", page_text("leave-reason")),
      page_button("leave-out", "Leave out", "leave_out", from = c("leave-rows", "leave-reason"))
    )
  )
}

demo_tables <- function() grep("\\.csv$", demo_file(), value = TRUE)

step_model <- function() {
  h <- htmltools::tags
  page_step(
    "model", "2. Model",
    page_field("model", "Response ~ expression; of several responses a line each",
      h$textarea(id = "model", class = "form-control form-control-sm", rows = 2, spellcheck = "false", autocomplete = "off", `aria-describedby` = "model-mistake model-words", placeholder = "y ~ top * x / (half + x)")),
    h$div(id = "model-mistake", class = "refused", role = "alert"),
    h$div(id = "model-words", class = "hint", `aria-live` = "polite"),
    h$div(id = "model-mathematics"), view_place("model-told"),
    h$div(class = "row-of-fields",
      page_field("catalogue", "Or take one of the catalogue", view_catalogue()), page_button("take-catalogue", "Take", "catalogue", from = c("catalogue", "measured", "explains")),
      page_button("propose-models", "Try them all on these data", "rank", from = c("measured", "explains"), kind = "outline-secondary")
    ),
    view_place("ranking-view"),
    h$details(h$summary("Rates of change"), h$p(class = "hint", "Below the response, a line for each rate, beginning and event; the states are then names in the response:"),
      h$pre(class = "hint", "reading ~ child\nd parent / d hour = -k1 * parent\nd child / d hour = k1 * parent - k2 * child\nparent begins at p0\nchild begins at 0\nat hour = 3: 5 is added to parent")),
    h$details(h$summary("Functions and shapes that a model may use"), h$p(class = "hint", paste(sort(grep("^[a-z]", language_functions(), value = TRUE)), collapse = ", ")), h$p(class = "hint", paste(vapply(names(shapes), function(name) paste0(name, "(", paste(shapes[[name]]$arguments, collapse = ", "), ")"), ""), collapse = "; ")))
  )
}

step_starts <- function() {
  page_step(
    "starts", "3. Starts", view_place("starts-view"),
    htmltools::tags$div(class = "acts", page_button("suggest-start", "Suggest a start", "suggest"), page_button("keep-start", "Keep this one beside", "keep_start", kind = "outline-secondary"))
  )
}

step_limits <- function() {
  page_step(
    "limits", "4. Limits and noise", view_place("conditions-view"),
    htmltools::tags$div(class = "row-of-fields",
      page_field("condition", "What values make sense, as a sentence", page_text("condition", placeholder = "k > 0, or between(k, 0.1, 5), or a + b == 1", `data-enter` = "add-condition", `aria-describedby` = "condition-reading")),
      page_button("add-condition", "Add", "condition", from = "condition")
    ),
    htmltools::tags$div(id = "condition-reading", class = "hint", `aria-live` = "polite"),
    view_place("criterion-view")
  )
}

step_fit <- function() {
  h <- htmltools::tags
  local <- solvers()
  page_step(
    "fit", "5. Fit",
    h$div(class = "row-of-fields",
      page_field("solver", "Solver", h$select(id = "solver", class = "form-select form-select-sm", page_options(c("", local$solver[local$scope == "local"]), c("the one that suits", gsub("_", " ", local$solver[local$scope == "local"]))))),
      page_button("one-iteration", "One iteration", "step", list(iterations = 1), from = "solver"), page_button("ten-iterations", "Ten", "step", list(iterations = 10), from = "solver"),
      page_button("fit-to-the-end", "To the end", "fit", from = "solver", kind = "primary"), page_button("stop", "Stop", "stop", kind = "outline-danger", disabled = TRUE)
    ),
    h$div(class = "row-of-fields",
      page_field("n-starts", "Starts", page_text("n-starts", "50", inputmode = "numeric")), page_field("seed", "Seed", page_text("seed", "1", inputmode = "numeric")),
      page_button("many-starts", "From many starts", "many", from = c("n-starts", "seed", "solver")), page_button("search-globally", "Search the whole box", "global", from = "seed")
    ),
    h$div(id = "progress", role = "status", `aria-live` = "off"), view_place("runs-view")
  )
}

step_use <- function() page_step("use", "6. Compare, check, use", view_place("use-view"))

step_hand_over <- function() {
  h <- htmltools::tags
  link <- function(id, label, ...) shiny::downloadLink(id, label, class = "btn btn-sm btn-outline-primary", ...)
  # what takes longer to write is asked for by a button, and taken over by its link as soon as it is written
  written <- function(what, label, from = character()) htmltools::tagList(page_button(paste0("write-", what), label, "hand_over", list(what = what), from), link(what, label, hidden = NA, tabindex = -1))
  page_step(
    "hand-over", "7. Hand over",
    h$div(class = "row-of-fields", page_field("title", "Title of the report", page_text("title", `data-act` = "title", `data-from` = "title"))),
    h$p(class = "hint", id = "nothing-yet", "The report, the tables and the figures are there as soon as a run has ended."),
    h$div(class = "acts",
      h$div(class = "acts", id = "of-answer", hidden = NA, written("report", "Report (HTML)"), written("table_parameters", "Parameters (CSV)"), link("table_residuals", "Residuals (CSV)")),
      h$div(class = "acts", id = "of-problem", hidden = NA, link("plan", "Plan")),
      h$div(class = "acts", id = "of-data", hidden = NA, link("code_file", "R code"), link("measurements", "Measurements"))
    ),
    h$div(class = "row-of-fields", id = "of-run", hidden = NA, link("run_file", "Stored run"),
      page_field("figure-what", "Figure", h$select(id = "figure-what", class = "form-select form-select-sm", page_options(c("fit", "residuals", "trace"), c("curve", "residuals", "trace")))),
      page_field("figure-width", "Width (pixels)", page_text("figure-width", "1200")), page_field("figure-height", "Height", page_text("figure-height", "800")),
      written("figure_png", "PNG", paste0("figure-", c("what", "width", "height"))), written("figure_svg", "SVG", paste0("figure-", c("what", "width", "height")))
    ),
    h$p(class = "hint", id = "writing", role = "status"),
    h$p(class = "hint", id = "folder-name"),
    h$h3("The R code of what was done"), h$pre(id = "code", tabindex = 0),
    h$details(h$summary("What was done, step by step"), view_place("history-view"))
  )
}
