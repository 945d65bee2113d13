# Which files of a folder a run of ours wrote. Only these are replaced: what somebody else put there, or changed since, is theirs.

record_file <- ".tundrel-written"
# Stands for the sum of a file that is being written.
under_way <- "-"

# The sums of what was written, by name.
recorded_sums <- function(folder) {
  path <- file.path(folder, record_file)
  if (!file.exists(path) || is_link(path)) return(character())
  lines <- file_lines(path)
  parts <- regmatches(lines, regexec("^(\\S+) (.+)$", lines))
  parts <- Filter(function(part) length(part) == 3, parts)
  stats::setNames(vapply(parts, `[`, "", 2), vapply(parts, `[`, "", 3))
}

record_sums <- function(folder, sums) {
  path <- file.path(folder, record_file)
  if (is_link(path)) unlink(path)
  kept <- recorded_sums(folder)
  kept[names(sums)] <- sums
  kept <- kept[!is.na(kept)]
  write_text(path, paste(kept, names(kept)))
}

is_link <- function(path) !Sys.readlink(path) %in% c("", NA)

# Evaluates `code`, which writes files of these names into a folder; refused where one of them is there that is not ours, and
# where one of them is in `inputs`, which `code` reads.
replacing_own <- function(folder, names, code, inputs = character(), call = rlang::caller_env()) {
  how <- "Move it, or write elsewhere with {.code --out}."
  if (!dir.exists(folder)) refuse("file", "There is no directory {.file {folder}} to write {.file {names[1]}} into.", call = call)
  paths <- file.path(folder, names)
  there <- paths[file.exists(paths)]
  read <- there[normalizePath(there) %in% normalizePath(inputs, mustWork = FALSE)]
  if (length(read)) {
    refuse("file", c("{.file {read[1]}} is read, and would be replaced by a result of the same name.", "i" = how), call = call)
  }
  known <- recorded_sums(folder)[basename(there)]
  foreign <- there[is.na(known) | (known != under_way & known != sums_of_files(there))]
  if (length(foreign)) {
    refuse("file", c(
      "{.file {foreign[1]}} is there already, and is left as it is: it was not written by a run, or was changed since{if (length(foreign) > 1) paste0('; so ', if (length(foreign) == 2) 'is one other' else paste('are', length(foreign) - 1, 'others'))}.",
      "i" = how
    ), call = call)
  }
  # a process that is killed from here on leaves files that are ours
  record_sums(folder, stats::setNames(rep(under_way, length(names)), names))
  on.exit(record_sums(folder, stats::setNames(sums_of_files(paths), names)))
  code
}

# NA of those that are not there.
sums_of_files <- function(paths) unname(tools::md5sum(paths))
