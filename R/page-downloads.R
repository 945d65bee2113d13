# What is handed over. What takes a moment is made when it is asked for; the rest was written before (page-hand-over.R). Names are ours;
# nothing in them comes from the browser.

page_downloads <- function(desk, input, output) {
  hand_over <- function(name, write) shiny::downloadHandler(filename = function() if (is.function(name)) name() else name, content = function(path) suppressMessages(write(path)))
  state <- function() state_of(desk)
  result <- function() desk$results[[as.character(chosen_id(desk))]]
  output$plan <- hand_over("plan.yaml", function(path) {
    need_problem(state())
    write_text(path, plan_yaml(page_plan(state(), desk$chosen, desk$found$ways, desk$found$asked_next)))
  })
  output$code_file <- hand_over("analysis.R", function(path) write_text(path, page_code(state(), desk$chosen, desk$found$ways, desk$found$asked_next)))
  output$measurements <- hand_over(function() state()$source %||% "measurements.csv", function(path) {
    need_data(state())
    write_copy(path, file.path(desk$folder, desk$file))
  })
  output$run_file <- hand_over(function() paste0("run-", desk$chosen, ".json"), function(path) write_run(run_at_desk(desk, desk$chosen), path))
  output$table_residuals <- hand_over("residuals.csv", function(path) write_table(residual_table(result()$fits %||% run_at_desk(desk, desk$chosen)), path))
  for (what in names(written_files)) local({
    mine <- what
    output[[mine]] <- hand_over(written_files[[mine]], function(path) write_copy(path, desk$written[[mine]]$path))
  })
  # links are there before they are shown
  for (id in c("plan", "code_file", "measurements", "run_file", "table_residuals", names(written_files))) shiny::outputOptions(output, id, suspendWhenHidden = FALSE)
}
