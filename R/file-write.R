# Files are written beside their place and renamed, so that nothing half-written is ever left there. `write` writes to a path
# and stops where not all of it has arrived. An existing file keeps its mode, and a link what it points to.
write_whole <- function(path, write, call = rlang::caller_env()) {
  folder <- dirname(path)
  if (!dir.exists(folder)) {
    refuse("file", c("There is no directory {.file {folder}} to write {.file {basename(path)}} into."), call = call)
  }
  if (dir.exists(path)) refuse("file", "{.file {path}} is a directory; give the name of a file.", call = call)
  place <- if (is_link(path)) normalizePath(path, mustWork = FALSE) else path
  # The same ending, since some writers choose the format by it; a short name, since that of the file may be as long as names go.
  ending <- sub("^.*?(\\.[A-Za-z0-9]{1,8})?$", "\\1", basename(path))
  beside <- tempfile(".writing-", dirname(place), ending)
  on.exit(unlink(beside))
  tryCatch(
    write(beside),
    error = function(e) refuse("file", c("{.file {path}} could not be written.", "x" = "{conditionMessage(e)}"), call = call)
  )
  if (file.exists(place)) Sys.chmod(beside, file.info(place)$mode, use_umask = FALSE)
  if (!suppressWarnings(file.rename(beside, place))) refuse("file", "{.file {path}} could not be replaced.", call = call)
  invisible(path)
}

# Text in UTF-8, a line each. A disk that is full says nothing when a file is closed: what is there is counted.
write_text <- function(path, text, call = rlang::caller_env()) {
  bytes <- charToRaw(paste0(paste(enc2utf8(text), collapse = "\n"), "\n"))
  write_whole(path, function(beside) {
    suppressWarnings(writeBin(bytes, beside))  # what went wrong shows in the size
    if (!identical(as.numeric(file.size(beside)), as.numeric(length(bytes)))) stop("the disk took only ", file.size(beside), " of ", length(bytes), " bytes")
  }, call)
}

# The lines of a text file in UTF-8, whatever encoding the session takes for its own.
file_lines <- function(path) readr::read_lines(path, progress = FALSE)

# A copy of a file that is there whole.
write_copy <- function(path, from, call = rlang::caller_env()) {
  write_whole(path, function(beside) {
    if (!file.copy(from, beside) || file.size(beside) != file.size(from)) stop("the disk did not take all of it")
  }, call)
}

write_table <- function(table, path) write_text(path, csv_text(table))

# A table as text with commas, without the end of its last line. It is written by a thread beside R's own, and in pieces, for each of which R's would ask
# for memory while others write, which hangs now and then: so in one piece. Nor may that thread ask R for any: texts that R would only make when they are
# asked for (such as those of numbers), or would have to translate, are made before.
csv_text <- function(table, ...) {
  table[] <- lapply(table, function(column) {
    shown <- readr::output_column(column)
    if (is.character(shown)) enc2utf8(c(shown)) else shown
  })
  withr::local_envvar(VROOM_WRITE_BUFFER_LINES = format(nrow(table) + 1, scientific = FALSE))
  sub("\n$", "", readr::format_csv(table, ...))
}

# By which a picture ends: the name of its last part, and that part's sum.
end_of_png <- as.raw(c(0x49, 0x45, 0x4e, 0x44, 0xae, 0x42, 0x60, 0x82))

# Pictures at the size of a page on the screen.
write_picture <- function(plot, path) {
  need_package("ragg", "to write pictures")
  write_whole(path, function(beside) {
    before <- grDevices::dev.cur()
    ragg::agg_png(beside, width = 1280, height = 800, res = 110, background = "white")
    device <- grDevices::dev.cur()
    tryCatch(print(plot), finally = grDevices::dev.off(device))
    if (before > 1) grDevices::dev.set(before)
    if (!identical(utils::tail(readBin(beside, "raw", file.size(beside)), 8), end_of_png)) stop("the disk did not take all of it")
  })
}

# A picture takes longer than all else that is written. Where a process can be split in two, the other half draws what `make` gives beside what is done
# next. The result is a function that waits until the picture is there, and gives its path.
begin_picture <- function(make, path) {
  draw <- function() write_picture(make(), path)
  job <- if (can_split()) parallel::mcparallel(draw(), mc.set.seed = FALSE, silent = TRUE) else draw()
  function() {
    if (!inherits(job, "parallelJob")) return(path)
    drawn <- suppressWarnings(parallel::mccollect(job)[[1]])
    # what went wrong there is told by what goes wrong here
    if (!identical(drawn, path)) draw()
    job <<- NULL
    path
  }
}

# Elsewhere libraries that find fonts do not bear it.
can_split <- function() identical(Sys.info()[["sysname"]], "Linux") && parallel::detectCores() > 1 && !nzchar(Sys.getenv("RSTUDIO"))

# JSON in which every number has all its digits; missing ones are null, infinite ones text.
json_text <- function(x) jsonlite::toJSON(with_all_digits(x), json_verbatim = TRUE, auto_unbox = TRUE, na = "null", null = "null", pretty = TRUE)

with_all_digits <- function(x) {
  if (is.data.frame(x)) {
    numbers <- vapply(x, is.double, logical(1))
    x[numbers] <- lapply(x[numbers], function(column) lapply(column, all_digits))
    return(x)
  }
  if (is.list(x)) return(lapply(x, with_all_digits))
  if (is.double(x) && length(x) == 1) all_digits(x) else x
}

all_digits <- function(x) structure(if (is.na(x)) "null" else if (is.finite(x)) sprintf("%.17g", x) else paste0("\"", x, "\""), class = "json")
