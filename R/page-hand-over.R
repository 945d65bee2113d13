# What takes longer than a moment to write: the clerk writes it into a file, which the window that asked then takes over.

written_files <- c(report = "report.html", table_parameters = "parameters.csv", figure_png = "figure.png", figure_svg = "figure.svg")

# `desk$written[[what]]` is the `path` of the last one asked for, and whether it is `ready`.
write_at_desk <- function(desk, what, given, call = rlang::caller_env()) {
  if (!what %in% names(written_files)) refuse("file", "There is no {.val {what}} to hand over.", call = call)
  job <- writing_job(desk, what, given)
  job$path <- tempfile("written-", fileext = paste0(".", tools::file_ext(written_files[[what]])))
  unlink(desk$written[[what]]$path)
  desk$written[[what]] <- list(path = job$path, ready = FALSE)
  ask_worker(desk$clerk, job, list(what = what), function(found) {
    # asked for anew, or of an earlier session
    if (!identical(desk$written[[what]]$path, job$path)) return(unlink(job$path))
    desk$written[[what]] <- if (is.null(found$refused)) list(path = job$path, ready = TRUE)
    if (!is.null(found$refused)) desk$said[["hand-over"]] <- shortened(found$refused)
    desk$changed()
  })
}

writing_job <- function(desk, what, given) {
  fits <- desk$results[[as.character(chosen_id(desk))]]$fits
  job <- list(of = fits %||% run_at_desk(desk, desk$chosen), by = desk$found$ways)
  if (what == "table_parameters") return(c(job, list(task = "parameters")))
  if (what == "report") {
    title <- state_of(desk)$title
    return(c(job, list(task = "report", title = if (nzchar(title)) title, others = if (is.null(fits)) runs_beside(desk, job$of))))
  }
  figure <- one_text(given, "figure-what")
  if (!figure %in% c("fit", "residuals", "trace")) figure <- "fit"
  c(job, list(task = "figure", what = if (is.null(fits)) figure else "groups", size = c(figure_side(given, "width", 1200), figure_side(given, "height", 800))))
}

figure_side <- function(given, which, usual) {
  side <- given[[paste0("figure-", which)]]
  if (is.null(side)) return(usual)
  side <- check_page_number(side, paste("The", which, "of a figure"))
  if (side < 100 || side > 6000) refuse("argument", "The {which} of a figure lies between 100 and 6000 pixels.")
  side
}

# Other runs of the same problem.
runs_beside <- function(desk, run) {
  posed <- function(one) problem_plan(one$problem, "", start = numeric())
  alike <- Filter(function(other) identical(posed(other), posed(run)), ended_runs(desk))
  if (length(alike) > 1) alike else list()
}

writing_told <- function(written) {
  under_way <- names(written)[!vapply(written, `[[`, NA, "ready")]
  if (length(under_way)) paste0(paste(written_files[under_way], collapse = " and "), " is being written \u2026") else ""
}
