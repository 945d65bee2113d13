# Calls that took long are written beside a checkpoint one by one, before anything else is done: a line each, until the checkpoint itself has
# them. Whatever ends the process between two checkpoints, no call that had come back is lost.

journal_path <- function(path) sub("\\.json$", "-calls.jsonl", path)

# A function that the core calls after each call.
journal_writer <- function(path) {
  path <- journal_path(path)
  function(x, result, value, seconds, failed, reason) {
    # shorter ones can be made again
    if (!isTRUE(seconds >= costly_seconds) && !is.na(seconds)) return(invisible())
    line <- paste0(
      "{\"x\":", exact(x), ",\"result\":", exact(if (failed) numeric() else result), ",\"value\":", exact(value), ",\"seconds\":", exact(seconds),
      ",\"failed\":", if (failed) "true" else "false", ",\"reason\":", reason, "}"
    )
    # a full disk ends no fit
    tryCatch(suppressWarnings(cat(line, "\n", file = path, sep = "", append = TRUE)), error = function(e) NULL)
  }
}

# The calls of a journal, without those of a line that was cut short, or that is of another problem.
journal_calls <- function(path, parameters, rows) {
  path <- journal_path(path)
  if (!file.exists(path) || dir.exists(path)) return(NULL)
  lines <- lapply(readLines(path, warn = FALSE), function(line) tryCatch(read_journal_line(line, parameters), error = function(e) NULL))
  lines <- Filter(Negate(is.null), lines)
  if (length(lines) == 0) return(NULL)
  rows <- max(rows, vapply(lines, function(one) length(one$result), 0L))
  number <- function(part) vapply(lines, function(one) one[[part]], 0)
  new_calls(
    matrix(vapply(lines, function(one) one$x, numeric(parameters)), parameters), number("value"), vapply(lines, `[[`, NA, "failed"), number("seconds"),
    number("reason"), matrix(vapply(lines, function(one) if (length(one$result) == rows) one$result else rep(NA_real_, rows), numeric(rows)), rows)
  )
}

read_journal_line <- function(line, parameters) {
  one <- jsonlite::parse_json(line)
  failed <- one$failed
  one <- c(lapply(one[c("x", "result", "value", "seconds")], function(part) as.numeric(numbers_of(part))), list(reason = as.numeric(one$reason), failed = failed))
  stopifnot(
    length(one$x) == parameters, all(is.finite(one$x)), lengths(one[c("value", "seconds", "reason")]) == 1, is.logical(failed), length(failed) == 1,
    one$reason %in% (seq_along(call_reasons) - 1)
  )
  one
}

# A run that was read, with the calls that were made after it was written.
with_journal <- function(run, path) {
  if (is_compiled(run$problem)) return(run)
  more <- journal_calls(path, length(run$estimate), NROW(run$calls$results))
  if (!is.null(more)) run$calls <- joined_calls(run$calls, more)
  run
}
