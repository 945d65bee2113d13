#' Write a report
#'
#' One file that holds what was asked, the answer with its uncertainty first, what to be careful about, data and model,
#' settings, the fitted curve, parameters, other runs and rival models, checks of the solution and of the residuals,
#' conditions, and how to have the numbers again. An HTML file holds its pictures, can be opened anywhere and printed; a
#' Markdown file has them in a directory beside it. All text from data is escaped.
#'
#' @param run A run, from [fit_local()] or another fit; or several from [fit_multistart()], of which the best is
#'   reported and the others are compared with it; or fits of groups from [fit_each()].
#' @param path \[character(1)] The file to write, ending in `.html` or, for Markdown, `.md`; an existing one is replaced
#'   whole.
#' @param title \[character(1)] Heading; the model's formula if none is given.
#' @param level \[numeric(1)] Coverage of intervals, between 0 and 1.
#' @param by \[character] Ways to find uncertainties, as for [uncertainty()]; bootstraps are drawn with seed 1.
#' @param runs \[list] Other runs of the same problem, to be compared by [compare_runs()]; names label them.
#' @param models \[list] Runs of rival models on the same measurements, with names, to be compared by [compare_models()].
#' @param format \[character(1)] `"html"`, or `"md"`, for which the packages rmarkdown and its pandoc are needed.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return `path`, invisibly.
#' @section Errors: `tundrel_error_file` when the directory does not exist, the file cannot be
#'   written, its name does not fit the format, or a package is missing; `tundrel_error_solver` for runs that do not belong together.
#' @export
#' @examplesIf requireNamespace("htmltools", quietly = TRUE)
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' write_report(run, tempfile(fileext = ".html"))
write_report <- function(run, path, title = NULL, level = 0.95, by = "curvature", runs = list(), models = list(), format = c("html", "md"), ...) {
  refuse_unknown(...)
  format <- rlang::arg_match(format)
  check_report_path(path, format)
  check_uncertainty(by, level, 999, 1)
  need_report_packages(format)
  if (inherits(run, "tundrel_runs")) {
    runs <- c(unclass(run), runs)
    run <- suppressWarnings(best_run(run), classes = "tundrel_warning_solver")
  }
  title <- title %||% problem_title(run$problem)
  if (inherits(run, "tundrel_fits")) return(write_page(report_group_sections(run), title, path, format))
  check_run(run)
  write_page(report_sections(report_findings(run, level, by, runs, models), title), title, path, format)
}

need_report_packages <- function(format, call = rlang::caller_env()) {
  for (package in c("htmltools", "base64enc", "ragg", if (format == "md") "rmarkdown")) need_package(package, "to write reports", call)
}

write_page <- function(sections, title, path, format) {
  page <- rlang::exec(report_document, title, !!!sections)
  if (format == "md") write_markdown(page, path) else write_text(path, page)
}

# The format that a file's name asks for.
report_format <- function(path) if (grepl("\\.md$", path)) "md" else "html"

check_report_path <- function(path, format, call = rlang::caller_env()) {
  ending <- if (format == "md") "\\.md$" else "\\.html?$"
  if (rlang::is_string(path) && grepl(ending, path)) return(invisible())
  refuse("file", c(
    "{.arg path} must be the name of a file that ends in {.file .{format}}.", "x" = "It is {.val {path}}.",
    if (format == "html" && isTRUE(grepl("\\.md$", path))) c("i" = "For Markdown, add {.code format = \"md\"}.")
  ), call = call)
}

problem_title <- function(problem) if (has_model(problem)) model_text(problem) else "A user's function"

has_model <- function(problem) has_curve(problem) && !is_outside(problem)

report_sections <- function(known, title) {
  list(
    report_answer(known), report_cares(known), report_data_and_model(known$run), report_settings(known$run),
    report_curve(known), report_parameters(known), report_runs(known), report_models(known), report_solution(known),
    report_residuals(known), report_worth(known), report_fit_table(known$run), report_conditions(known$run), report_reproduction(known, title)
  )
}

# All results that the sections of a report need, computed once. `drawn` has functions that wait for pictures which are being drawn and give their files.
report_findings <- function(run, level, by, runs = list(), models = list(), drawn = NULL) {
  ended <- run$stop_reason != "none" && !is_outside(run$problem)
  list(
    run = run, level = level, by = by, uncertainty = quiet_uncertainty(run, by, level),
    solution = if (ended) check_solution(run), residuals = quiet_checks(run),
    drawn = drawn, runs = all_runs(run, runs), models = if (length(models)) rlang::exec(compare_models, `this model` = run, !!!models)
  )
}

# The reported run and those to be held against it, each once; none where it stands alone.
all_runs <- function(run, others) {
  if (length(others) == 0) return(NULL)
  c(list(`this run` = run), Filter(function(other) !identical(other, run), collect_runs(list(others))))
}

# Markdown with its pictures beside it, turned from the page by pandoc.
write_markdown <- function(page, path) {
  if (!rmarkdown::pandoc_available()) refuse("file", c("Markdown is written by pandoc, which is not on this machine.", "i" = "Write HTML instead."))
  if (!dir.exists(dirname(path))) refuse("file", "There is no directory {.file {dirname(path)}} to write {.file {basename(path)}} into.")
  scratch <- tempfile("report-")
  dir.create(scratch)
  on.exit(unlink(scratch, recursive = TRUE))
  pictures <- paste0(tools::file_path_sans_ext(basename(path)), "-pictures")
  write_text(file.path(scratch, "page.html"), page)
  rmarkdown::pandoc_convert("page.html", to = "gfm+tex_math_dollars-raw_html", from = "html-native_divs-native_spans", output = "page.md",
    options = c(paste0("--extract-media=", pictures), "--wrap=none"), wd = scratch)
  made <- list.files(file.path(scratch, pictures))
  dir.create(file.path(dirname(path), pictures), showWarnings = FALSE)
  # pandoc names pictures by what is in them
  old <- setdiff(list.files(file.path(dirname(path), pictures), "^[0-9a-f]{40}\\.png$"), made)
  unlink(file.path(dirname(path), pictures, old))
  for (name in made) {
    write_copy(file.path(dirname(path), pictures, name), file.path(scratch, pictures, name))
  }
  write_copy(path, file.path(scratch, "page.md"))
}
