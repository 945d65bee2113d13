# tundrel ask RUN, tundrel tell RUN FILE: values from outside, by whoever measures them.

command_ask <- function(arguments) {
  usage <- "tundrel ask RUN [--search RANGES] [--goal maximise] [--points N] [--solver NAME] [--seed N] [--out FILE]"
  parsed <- command_options(
    arguments, usage,
    paste(
      "Says at which points a value is wanted next, as a table in CSV. A RUN that does not exist yet is begun, with the ranges to search.",
      "Fill the column `value` (an empty one is still to come, `failed` is a measurement that went wrong) and hand the table to tundrel tell.",
      "Example: tundrel ask cake.json --search \"heat: 120 to 220; minutes: 10 to 60\" --goal maximise --points 4 --out next.csv"
    ),
    list(
      optparse::make_option("--search", type = "character", default = NULL, help = "ranges of the parameters of a new run, such as \"heat: 120 to 220; minutes: 10 to 60\""),
      optparse::make_option("--goal", type = "character", default = "minimise", help = "maximise or minimise, of a new run"),
      optparse::make_option("--points", type = "integer", default = 1L, help = "how many values can be had at a time, of a new run"),
      optparse::make_option("--solver", type = "character", default = "surrogate", help = "a global solver, of a new run"),
      optparse::make_option("--seed", type = "integer", default = 1L, help = "of a new run's random numbers"),
      optparse::make_option("--out", type = "character", default = NULL, help = "a file for the table, instead of standard output")
    ), 1
  )
  if (is.null(parsed)) return(0L)
  path <- parsed$args
  run <- if (file.exists(path)) read_run(path) else begun_outside(path, parsed$options)
  say_best(run)
  if (run_wants_no_more(run)) return(0L)
  write_points(propose(run), parsed$options$out)
  0L
}

command_tell <- function(arguments) {
  parsed <- command_options(
    arguments, "tundrel tell RUN FILE",
    paste(
      "Records values that were measured, from a table that tundrel ask gave: of all points or of some, in any order. A column `sd` tells how far they scatter.",
      "Example: tundrel tell cake.json next.csv"
    ), n_positional = 2
  )
  if (is.null(parsed)) return(0L)
  run <- read_run(parsed$args[1])
  if (run_wants_no_more(run)) {
    say_best(run)
    return(0L)
  }
  values <- told_table(parsed$args[2])
  before <- nrow(propose(run))
  run <- if (nrow(values)) record(run, values) else run
  write_run(run, parsed$args[1])
  say_aside("Recorded ", count_of(nrow(values), "value"), " of ", before, " wanted.")
  say_best(run)
  if (!run_wants_no_more(run)) say_aside("Next: tundrel ask ", parsed$args[1])
  0L
}

run_wants_no_more <- function(run) !run$stop_reason %in% c("none", "evaluations", "iterations", "seconds")

# "heat: 120 to 220; minutes: 10 to 60"
begun_outside <- function(path, options) {
  if (is.null(options$search)) refuse("file", c("There is no run {.file {path}}.", "i" = "Begin one with the ranges to search: {.code --search \"heat: 120 to 220; minutes: 10 to 60\"}."))
  parts <- trimws(strsplit(options$search, ";", fixed = TRUE)[[1]])
  number <- "(-?[0-9.]+(?:[eE][-+]?[0-9]+)?)"
  found <- regmatches(parts, regexec(paste0("^([[:alpha:]][[:alnum:]_.]*)\\s*:?\\s+", number, "\\s+to\\s+", number, "$"), parts, perl = TRUE))
  bad <- parts[lengths(found) == 0]
  if (length(bad)) refuse("plan", c("{.val {bad[1]}} is no range to search.", "i" = "Write {.code name: least to most}, with semicolons between: {.code --search \"heat: 120 to 220; minutes: 10 to 60\"}."))
  names <- vapply(found, `[[`, "", 2)
  ranges <- stats::setNames(lapply(found, function(one) as.numeric(one[3:4])), names)
  if (!options$goal %in% c("maximise", "minimise")) refuse("plan", c("{.val {options$goal}} is no goal.", suggestion(options$goal, c("maximise", "minimise"), "goals")))
  solver <- as_solver(options$solver, NULL)
  if (options$points > 1 && "batch" %in% names(solver$settings)) solver$settings$batch <- options$points
  problem <- rlang::exec(search_within, pose(parameters = names, goal = options$goal), !!!ranges)
  run <- begin_run(problem, solver, seed = options$seed)
  write_run(run, path)
  say_aside("Begun: ", path)
  run
}

say_best <- function(run) {
  if (!is.finite(run$value)) return(invisible())
  say_aside("Best so far: ", paste0(names(coef(run)), " = ", format_number(coef(run)), collapse = ", "), ", value ", format_number(run$value), ", after ", count_of(run$evaluations, "value"), ".")
  if (run_wants_no_more(run)) say_aside("The search has ended (", run$stop_reason, "): no more values are wanted.")
}

write_points <- function(points, path) {
  points$value <- ""
  text <- c(paste(names(points), collapse = ","), do.call(paste, c(lapply(points, function(x) if (is.double(x)) sprintf("%.10g", x) else as.character(x)), sep = ",")))
  if (is.null(path)) cat(text, sep = "\n") else write_text(path, paste(text, collapse = "\n"))
}

# Rows whose value is empty are still to come.
failed_words <- c("failed", "fail", "na", "nan")

told_table <- function(path) {
  table <- suppressMessages(read_measurements(path, na = "", as_text = "value"))
  if (is.null(table$value)) refuse("file", c("{.file {path}} has no column {.field value}.", suggestion("value", names(table), "columns"), "i" = "Fill it into the table of {.code tundrel ask}."))
  text <- trimws(table$value)
  there <- which(!is.na(text) & nzchar(text))
  table <- table[there, ]
  table$value <- value_numbers(text[there], function(k) paste0("The value in row ", there[k], " of '", path, "'"))
  table
}

# Numbers, with a point or a comma; NA where the word says that a measurement failed.
value_numbers <- function(text, where, call = rlang::caller_env()) {
  number <- suppressWarnings(as.numeric(sub(",", ".", text, fixed = TRUE)))
  bad <- which(is.na(number) & !tolower(text) %in% failed_words)
  if (length(bad)) refuse("file", c("{where(bad[1])} is no number: {.val {text[bad[1]]}}.", "i" = "Write {.val failed} where a measurement went wrong, and leave it empty where it is still to come."), call = call)
  number
}
