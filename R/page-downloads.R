# What is handed over: files made when they are asked for. Names are ours; nothing in them comes from the browser.

page_downloads <- function(desk, input, output) {
  chosen <- function() run_at_desk(desk, desk$chosen)
  hand_over <- function(name, write) shiny::downloadHandler(filename = function() if (is.function(name)) name() else name, content = function(path) suppressMessages(write(path)))
  state <- function() state_of(desk)
  result <- function() desk$results[[as.character(chosen_id(desk))]]
  output$report <- hand_over("report.html", function(path) report_at_desk(desk, path))
  output$plan <- hand_over("plan.yaml", function(path) {
    need_problem(state())
    write_text(path, plan_yaml(page_plan(state(), desk$chosen, desk$found$ways)))
  })
  output$code_file <- hand_over("analysis.R", function(path) write_text(path, page_code(state(), desk$chosen, desk$found$ways)))
  output$measurements <- hand_over(function() state()$source %||% "measurements.csv", function(path) {
    need_data(state())
    write_copy(path, file.path(desk$folder, desk$file))
  })
  output$run_file <- hand_over(function() paste0("run-", desk$chosen, ".json"), function(path) write_run(chosen(), path))
  output$table_parameters <- hand_over("parameters.csv", function(path) write_table(if (is.null(result()$fits)) tibble::as_tibble(unclass(quiet_uncertainty(chosen(), desk$found$ways))) else coef_table(result()$fits), path))
  output$table_residuals <- hand_over("residuals.csv", function(path) write_table(residual_table(result()$fits %||% chosen()), path))
  size <- function() {
    number <- function(x, usual) tryCatch(min(max(check_page_number(x, "The size"), 100), 6000), tundrel_error = function(e) usual)
    c(number(input[["figure-width"]], 1200), number(input[["figure-height"]], 800))
  }
  figure <- function(path) {
    what <- input[["figure-what"]]
    if (!is.null(result()$fits)) return(page_figure("groups", result()$fits, path, size()))
    page_figure(if (isTRUE(what %in% c("fit", "residuals", "trace"))) what else "fit", chosen(), path, size())
  }
  output$figure_png <- hand_over("figure.png", figure)
  output$figure_svg <- hand_over("figure.svg", figure)
  # links are there before they are shown
  for (id in c("report", "plan", "code_file", "measurements", "run_file", "table_parameters", "table_residuals", "figure_png", "figure_svg")) {
    shiny::outputOptions(output, id, suspendWhenHidden = FALSE)
  }
}

report_at_desk <- function(desk, path) {
  state <- state_of(desk)
  title <- if (nzchar(state$title)) state$title
  fits <- desk$results[[as.character(chosen_id(desk))]]$fits
  if (!is.null(fits)) return(write_report(fits, path, title = title))
  run <- run_at_desk(desk, desk$chosen)
  others <- Filter(function(other) identical(problem_plan(other$problem, "", start = numeric()), problem_plan(run$problem, "", start = numeric())), ended_runs(desk))
  write_report(run, path, title = title, by = desk$found$ways, runs = if (length(others) > 1) others else list())
}
