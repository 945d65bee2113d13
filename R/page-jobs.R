# What takes longer than a moment: it is done in an R process beside that of the page, so that the page answers meanwhile. A job is a
# list with its `task`, its arguments, and where in the session's folder it leaves what it found.

page_job <- function(job) {
  told <- character()
  hear <- function(e) {
    told <<- c(told, plain_sentence(e))
    rlang::cnd_muffle(e)
  }
  # what was found is not lost to an interrupt that comes after it
  job$kept <- new.env(parent = emptyenv())
  found <- withCallingHandlers(
    tryCatch(
      list(value = {
        page_process_ready()
        page_jobs[[job$task]](job)
      }),
      tundrel_error = function(e) list(refused = plain_sentence(e)), interrupt = function(e) if (is.null(job$kept$value)) list(refused = "Stopped.", interrupted = TRUE) else list(value = job$kept$value),
      error = function(e) list(refused = paste("Something went wrong:", conditionMessage(e)))
    ),
    message = hear, warning = hear
  )
  c(found, list(told = told, ticket = job$ticket))
}

# What a condition says, as sentences without the signs of a terminal.
plain_sentence <- function(e) trimws(gsub("(^|\n) *[\u2139\u2716!x\u2714\u2022] ", "\\1", cli::ansi_strip(conditionMessage(e))))

page_process <- new.env(parent = emptyenv())

# What R loads at its first use it cannot always load again after an interrupt on the way: a fit and a sentence load most of it, and no
# interrupt is let in meanwhile. One that came is met at the end: any later, and it might cut short the answer to the page.
page_process_ready <- function() {
  if (isTRUE(page_process$ready)) return(invisible())
  suspendInterrupts({
    fit_local(pose(data.frame(x = 1:5, y = c(1, 2, 4, 7, 11)), y ~ a * exp(b * x)) |> start_from(a = 1, b = 0.3))
    plain_sentence(simpleCondition("ready"))
    page_process$ready <- TRUE
  })
  Sys.sleep(0)
}

page_jobs <- list(
  warm = function(job) NULL,
  fit = function(job) page_fit(job),
  uncertainty = function(job) uncertainty(job$run, by = job$by, seed = 1),
  checks = function(job) list(solution = check_solution(job$run), residuals = if (has_rows(job$run$problem)) check_residuals(job$run)),
  compare = function(job) compared_at_page(job$runs, job$models, job$answers),
  derive = function(job) derived_at_page(job$run, job$derived, job$by),
  next_readings = function(job) next_at_page(job$run, job$asked),
  rank = function(job) ranked_at_page(job$data, job$formula),
  figure = function(job) page_figure(job$what, job$of, job$path, job$size),
  parameters = function(job) write_table(if (inherits(job$of, "tundrel_fits")) coef_table(job$of) else tibble::as_tibble(unclass(quiet_uncertainty(job$of, job$by))), job$path),
  report = function(job) if (inherits(job$of, "tundrel_fits")) write_report(job$of, job$path, title = job$title) else write_report(job$of, job$path, title = job$title, by = job$by, runs = job$others)
)

ranked_at_page <- function(data, formula) {
  table <- rank_models(data, formula)
  structure(table, reading = ranking_reading(table))
}

# Runs of one problem beside each other, and the best runs of several problems as models, where they can be compared.
compared_at_page <- function(runs, models, answers = NULL) {
  told <- NULL
  both <- if (length(models)) tryCatch(do.call(compare_models, models), tundrel_error = function(e) {
    told <<- plain_sentence(e)
    NULL
  })
  table <- if (length(runs)) do.call(compare_runs, runs)
  list(
    runs = if (!is.null(table)) list(table = table, reading = comparison_reading(table)),
    models = if (!is.null(both)) list(table = both, reading = models_reading(both)), aside = told,
    answers = if (length(answers) == 2) tryCatch(answers_at_page(answers), tundrel_error = function(e) NULL)
  )
}

answers_at_page <- function(runs) {
  table <- compare_answers(runs[[1]], runs[[2]])
  list(table = table, reading = attr(table, "reading"), of = names(runs))
}

derived_at_page <- function(run, derived, by) {
  quantities <- lapply(derived, function(text) plan_expression(list(path = "the page"), "derive", text))
  rlang::inject(derive(run, !!!quantities, by = by, seed = 1))
}

# Takes a run as far as it was asked to go, and stores it.
page_fit <- function(job) {
  asked <- job$asked
  solver <- asked$settings$solver
  tell <- function(state) {
    end_with_parent(job$parent)
    state$text <- cli::ansi_strip(state$text)
    try(write_text(job$progress, run_json(lapply(state[c("text", "share", "value", "evaluations", "estimate", "slope", "seconds")], as.list))), silent = TRUE)
  }
  found <- switch(asked$scope,
    local = if (is.finite(asked$iterations)) {
      stepped(job$run %||% begin_run(asked$problem, solver), job$iterations)
    } else if (is.null(job$run)) {
      fit_local(asked$problem, solver, progress = tell, checkpoint = job$checkpoint)
    } else {
      finish(job$run, progress = tell, checkpoint = job$checkpoint)
    },
    global = fit_global(asked$problem, solver, seed = asked$settings$seed, progress = tell, checkpoint = job$checkpoint),
    many = fit_multistart(asked$problem, asked$settings$starts %||% 50, solver, seed = asked$settings$seed, progress = tell),
    groups = fit_each(asked$problem, solver, shared = if (length(asked$shared)) asked$shared)
  )
  suspendInterrupts({
    result <- kept_result(found, asked, job)
    if (!is.null(job$kept)) job$kept$value <- result
  })
  result
}

# A page whose process was killed leaves no process behind that fits for nobody; what was stored of the run is gone on with.
end_with_parent <- function(parent) {
  if (is.null(parent)) return(invisible())
  alive <- tryCatch(ps::ps_is_running(ps::ps_handle(parent)), error = function(e) FALSE)
  if (!alive) quit(save = "no", status = 1)
}

stepped <- function(run, iterations) if (run$stop_reason == "none") advance(run, iterations) else run

# Of many starts the best run is kept, and where each of them ended.
kept_result <- function(found, asked, job) {
  several <- if (inherits(found, "tundrel_runs")) found
  result <- if (inherits(found, "tundrel_fits")) list(fits = found) else list(run = if (is.null(several)) found else suppressWarnings(best_run(found)))
  if (!is.null(several)) {
    result$starts <- tibble::as_tibble(unclass(compare_runs(several)))
    result$reading <- comparison_reading(compare_runs(several))
    write_table(result$starts, starts_path(job$folder, asked$id))
  }
  sampling <- attr(several, "sampling")
  result$stopped <- if (is.null(several)) identical(result$run$stop_reason, "interrupted") else sampling$walked < sampling$wanted
  if (!is.null(result$run)) {
    result$run$compiled <- NULL
    write_run(result$run, stored_run_path(job$folder, asked$id))
  }
  unlink(c(job$checkpoint, job$progress))
  result
}

page_figure <- function(what, of, path, size) {
  plot <- switch(what,
    fit = plot_fit(of), residuals = plot_residuals(of), trace = plot_trace(of), groups = plot_groups(of)
  )
  page_draw(plot, path, size)
}

page_draw <- function(plot, path, size) {
  device <- if (grepl("\\.svg$", path)) grDevices::svg else ragg::agg_png
  resolution <- 96
  if (grepl("\\.svg$", path)) device(path, size[1] / resolution, size[2] / resolution) else device(path, size[1], size[2], units = "px", res = 110 * size[1] / 1000)
  tryCatch(print(plot), finally = grDevices::dev.off())
  path
}
