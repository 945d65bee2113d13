# A page for values that are measured outside: which points are wanted next, fields for what came of them, what is known so far. Each value is stored
# with its run as soon as it is recorded, so that somebody else, or another day, goes on from the file.

values_ui <- function(path) {
  h <- htmltools::tags
  body <- htmltools::tagList(
    h$header(h$h1("Tundrel"), h$span(id = "session-name", basename(path))),
    h$div(id = "work",
      h$aside(id = "view", `aria-label` = "What is known", shiny::uiOutput("best"), shiny::plotOutput("known", height = "24rem"), shiny::uiOutput("legend-of-known"), shiny::uiOutput("calls")),
      h$main(id = "steps",
        h$section(
          h$h2("Wanted next"), shiny::uiOutput("wanted"), h$div(role = "alert", shiny::htmlOutput("said", class = "refused said")),
          h$div(class = "hint", role = "status", shiny::textOutput("done", inline = TRUE))
        )
      )
    )
  )
  function(request) htmltools::tagList(
    h$head(h$title(paste("Tundrel:", basename(path))), h$meta(name = "viewport", content = "width=device-width, initial-scale=1"), h$link(rel = "icon", href = "data:,")),
    bootstrap_styles(), htmltools::htmlDependency("tundrel-page-style", utils::packageVersion("tundrel"), src = system.file("page", package = "tundrel"), stylesheet = "page.css"),
    body
  )
}

values_server <- function(path, allowed) {
  function(input, output, session) {
    if (!allowed(session$request, shiny::isolate(session$clientData$url_search))) {
      session$close()
      return(invisible())
    }
    run <- shiny::reactiveVal(read_run(path))
    said <- shiny::reactiveVal("")
    done <- shiny::reactiveVal("")
    output$wanted <- shiny::renderUI(view_wanted(run()))
    output$best <- shiny::renderUI(view_best(run()))
    output$calls <- shiny::renderUI(view_values(run()))
    output[["legend-of-known"]] <- shiny::renderUI(if (has_figure(run())) hint_text("Line and band: what a model of all values expects along each parameter, the others at the best point (circle), and where 95 of 100 values would lie. Points: the values."))
    output$said <- shiny::renderUI(if (nzchar(said())) said())
    output$done <- shiny::renderText(done())
    output$known <- shiny::renderPlot(values_figure(run()), res = 96)
    shiny::observeEvent(input$record, {
      # what somebody recorded elsewhere in the meantime counts
      told <- tryCatch(tell_values(path, input), tundrel_error = function(e) e)
      failed <- inherits(told, "condition")
      said(if (failed) gsub("\n +", " ", plain_sentence(told)) else "")
      if (failed) return(invisible())
      done(paste("Recorded", count_of(told$n, "value"), "and stored with the run."))
      run(told$run)
    })
  }
}

value_fields <- function(point) paste0(c("value-", "sd-"), point)

view_wanted <- function(run) {
  h <- htmltools::tags
  if (run_wants_no_more(run)) return(h$p(paste0("The search has ended (", run$stop_reason, "): no more values are wanted.")))
  points <- propose(run)
  names <- setdiff(names(points), "point")
  row <- function(k) {
    fields <- value_fields(points$point[k])
    where <- paste0(names, " ", format_number(unlist(values_of_parameters(points[k, ], names))), collapse = ", ")
    h$tr(
      h$td(class = "number", points$point[k]), lapply(names, function(name) h$td(class = "number", format_number(values_of_parameters(points, name)[[1]][k], 6))),
      h$td(page_text(fields[1], `aria-label` = paste("Value at", where))), h$td(page_text(fields[2], `aria-label` = paste("Standard deviation of the value at", where)))
    )
  }
  htmltools::tagList(
    h$div(class = "wide", h$table(class = "table table-sm",
      h$thead(h$tr(h$th(class = "number", "Point"), lapply(names, h$th, class = "number"), h$th("Value"), h$th("Its standard deviation, if known"))), h$tbody(lapply(seq_len(nrow(points)), row)))),
    h$p(class = "hint", "Fill in what is there: the others may come later. Write \"failed\" where a measurement went wrong."),
    shiny::actionButton("record", "Record", class = "btn-sm btn-outline-primary")
  )
}

view_best <- function(run) {
  h <- htmltools::tags
  if (!is.finite(run$value)) return(h$p("No value is known so far."))
  at <- paste0(names(coef(run)), " = ", format_number(coef(run)), collapse = ", ")
  h$p(h$strong(id = "best-value", paste("Best so far:", format_number(run$value))), paste0("at ", at, ", after ", count_of(run$evaluations, "value"), "."))
}

hint_text <- function(text) htmltools::tags$p(class = "hint", text)

has_figure <- function(run) run$solver$name == "surrogate" && sum(is.finite(run$calls$value)) >= 2

values_figure <- function(run) if (has_figure(run)) plot_surrogate(run) + ggplot2::labs(title = NULL, caption = NULL)

most_values_shown <- 12

view_values <- function(run) {
  if (is.null(run$calls)) return(NULL)
  h <- htmltools::tags
  table <- call_table(run)
  shown <- utils::head(table[rev(seq_len(nrow(table))), ], most_values_shown)
  at <- values_of_parameters(shown, names(coef(run)))
  cell <- function(x) h$td(class = "number", x)
  h$details(h$summary(paste("The last of", count_of(nrow(table), "value"))), h$div(class = "wide", h$table(class = "table table-sm",
    h$thead(h$tr(lapply(c("call", names(coef(run)), "value"), h$th, class = "number"))),
    h$tbody(lapply(seq_len(nrow(shown)), function(k) {
      h$tr(cell(shown$call[k]), lapply(names(coef(run)), function(name) cell(format_number(at[[name]][k]))), cell(if (shown$failed[k]) "failed" else format_number(shown$value[k])))
    })))))
}

# Records what stands in the fields, and stores the run.
tell_values <- function(path, input) {
  run <- read_run(path)
  if (run_wants_no_more(run)) refuse("solver", "The search has ended: no more values are wanted.")
  points <- propose(run)
  fields <- lapply(points$point, value_fields)
  written <- function(k) vapply(fields, function(names) trimws(input[[names[k]]] %||% ""), "")
  there <- which(nzchar(written(1)))
  if (length(there) == 0) refuse("argument", "Fill in at least one value.")
  numbers <- value_numbers(written(1)[there], function(k) paste("The value of point", points$point[there[k]]))
  sds <- written(2)[there]
  spread <- suppressWarnings(as.numeric(sub(",", ".", sds, fixed = TRUE)))
  odd <- which(nzchar(sds) & !(is.finite(spread) & spread > 0))
  if (length(odd)) refuse("argument", "The standard deviation of point {points$point[there[odd[1]]]} must be a number above 0, or empty.")
  table <- points[there, ]
  table$value <- numbers
  if (any(is.finite(spread))) table$sd <- spread
  run <- record(run, table)
  write_run(run, path)
  list(run = run, n = length(there))
}
