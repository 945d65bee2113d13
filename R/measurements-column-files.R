# Columns as files of numbers, filled piece by piece. Text is kept as codes of its levels.

# More texts than this are no levels, but remarks.
most_levels_on_disk <- 1e6

new_column_files <- function(folder, file, call) {
  writers <- list()
  rows <- 0
  list(
    put = function(data) {
      for (name in setdiff(names(data), names(writers))) {
        writers[[name]] <<- new_column_file(file.path(folder, paste0(length(writers) + 1, ".column")), name, file, call)
        writers[[name]]$skip(rows)
      }
      for (name in names(writers)) if (name %in% names(data)) writers[[name]]$put(data[[name]]) else writers[[name]]$skip(nrow(data))
      rows <<- rows + nrow(data)
    },
    close = function() list(rows = rows, columns = unname(lapply(writers, function(writer) writer$close()))),
    give_up = function() for (writer in writers) writer$give_up()
  )
}

# What a column holds is settled by the first entry that is not missing.
new_column_file <- function(path, name, file, call) {
  force(name)
  holds <- NULL
  tzone <- ""
  levels <- character()
  owed <- written <- 0  # entries that were missing before it was known what the column holds
  opened <- file(path, "wb")
  write <- function(x) {
    writeBin(x, opened)
    written <<- written + length(x)
  }
  missing <- function(n) {
    while (n > 0) {
      write(rep(if (holds == "text") NA_integer_ else NA_real_, min(n, 1e6)))
      n <- n - 1e6
    }
  }
  code <- function(x) {
    levels <<- union(levels, x[!is.na(x)])
    if (length(levels) > most_levels_on_disk) {
      refuse("measurements", c(
        "Column {.field {name}} of {.file {file}} holds more than {format(most_levels_on_disk, big.mark = ',', scientific = FALSE)} different texts.",
        "i" = "Name those {.arg columns} that are needed."
      ), call = call)
    }
    match(x, levels)
  }
  # of a text column, levels are in the order of the alphabet
  sort_levels <- function() {
    place <- order(levels)
    codes <- core_mapped_vector(path, written, TRUE, list())
    beside <- paste0(path, "-sorted")
    sorted <- file(beside, "wb")
    for (first in seq(1, written, block_rows)) writeBin(match(codes[first:min(first + block_rows - 1, written)], place), sorted)
    close(sorted)
    file.rename(beside, path)
    levels <<- levels[place]
  }
  list(
    put = function(x) {
      if (all(is.na(x)) && is.null(holds)) {
        owed <<- owed + length(x)
        return(invisible())
      }
      here <- what_a_column_holds(x)
      if (is.null(holds)) {
        holds <<- here
        if (holds == "times") tzone <<- attr(x, "tzone") %||% ""
        missing(owed)
        owed <<- 0
      }
      if (here != holds && !all(is.na(x))) {
        refuse("measurements", c(
          "Column {.field {name}} of {.file {file}} holds {holds} in its first rows, and {here} beyond row {format(written, big.mark = ',')}.",
          "i" = "{.arg as_text} keeps a column as text throughout; {.arg na} names entries that stand for missing ones."
        ), call = call)
      }
      write(if (holds == "text") code(as.character(x)) else as.double(x))
    },
    skip = function(n) if (is.null(holds)) owed <<- owed + n else missing(n),
    close = function() {
      if (is.null(holds)) holds <<- "numbers"
      missing(owed)
      close(opened)
      opened <<- NULL
      if (holds == "text" && is.unsorted(levels)) sort_levels()
      width <- if (holds == "text") 4 else 8
      if (file.size(path) != width * written) refuse("file", "The disk took only a part of the columns of {.file {file}}.", call = call)
      list(name = name, file = basename(path), holds = holds, levels = if (holds == "text") as.list(levels), tzone = if (holds == "times") tzone)
    },
    give_up = function() if (!is.null(opened)) close(opened)
  )
}

what_a_column_holds <- function(x) {
  if (is.character(x)) "text" else if (inherits(x, "Date")) "days" else if (inherits(x, "POSIXct")) "times" else "numbers"
}
