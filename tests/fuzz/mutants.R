# Files changed at random, and what becomes of them: each is either read or refused in words, and none ends R, takes long or
# much memory. Mutants are tried in processes of their own, so that one that ends its process is known by its number.

# Paths to all parts of a list, those of long lists of numbers only now and then.
paths_of <- function(x, at = list()) {
  if (!is.list(x) || length(x) == 0) return(list(at))
  places <- if (is.null(names(x)) && length(x) > 6) sample(length(x), 6) else seq_along(x)
  c(list(at), unlist(lapply(places, function(k) paths_of(x[[k]], c(at, list(k)))), recursive = FALSE))
}

part_at <- function(x, path) Reduce(function(part, k) part[[k]], path, x)

with_part <- function(x, path, value) {
  if (length(path) == 0) return(value)
  k <- path[[1]]
  inner <- if (length(path) == 1) value else with_part(x[[k]], path[-1], value)
  x[k] <- list(inner)
  x
}

odd_values <- list(
  -1, 0, 1, 2, 0.5, -1e-300, 1e300, -1e300, 1e9, 2^31, 2^53, 1e18, "NaN", "Inf", "-Inf", "NA", "", "nonsense", "Inf ", TRUE, FALSE, NULL,
  list(), list(1, 2, 3), list(a = 1), "gradient", "failed", "squares", strrep("x", 300), "a\nb", "<script>", "\u03b1"
)

# One change of one part.
mutant_of <- function(x, paths) {
  path <- paths[[sample(length(paths), 1)]]
  part <- part_at(x, path)
  list_kinds <- c("value", "empty", "short", "long", "shuffle", "rename", "nest", "drop")
  kind <- if (is.list(part) && length(part)) sample(list_kinds, 1) else sample(c("value", "sign", "value"), 1)
  changed <- switch(kind,
    value = odd_values[[sample(length(odd_values), 1)]], sign = if (is.numeric(part)) -part * sample(c(1, 1e3, 1e-9), 1) else "text",
    empty = list(), short = part[-sample(length(part), 1)], long = c(part, part[sample(length(part), 1)]), shuffle = part[sample(length(part))],
    rename = if (is.null(names(part))) list(part) else stats::setNames(part, sample(c(names(part)[-1], "other"))), nest = list(part),
    drop = NULL
  )
  list(what = paste(kind, "at", paste(unlist(path), collapse = " ")), list = with_part(x, path, changed))
}

# Bytes of a file changed at random.
mutated_bytes <- function(bytes) {
  n <- length(bytes)
  if (n == 0) return(bytes)
  at <- sample(n, min(n, sample(c(1, 1, 3, 20), 1)))
  switch(sample(6, 1),
    replace(bytes, at, as.raw(sample(0:255, length(at), TRUE))), bytes[-at], append(bytes, as.raw(sample(0:255, 5, TRUE)), at[1]),
    utils::head(bytes, at[1]), c(bytes, bytes[seq_len(at[1])]), append(bytes, charToRaw(sample(c("\"", ",,,", "\r", "\n\n", "\t", ";", "[", "{", "&a", "*a", "\xff\xfe"), 1)), at[1])
  )
}

# Memory of this process now, and the most since `forget_peak()`, in megabytes; 0 where the system does not tell.
memory_held <- function(field) {
  said <- tryCatch(suppressWarnings(readLines("/proc/self/status")), error = function(e) character())
  sum(as.numeric(gsub("[^0-9]", "", grep(field, said, value = TRUE)))) / 1024
}

forget_peak <- function() tryCatch(suppressWarnings(cat("5\n", file = "/proc/self/clear_refs")), error = function(e) NULL)

# Tries mutants 1 to `n`, each by `try_one(k)`, which gives "read", "refused" or a complaint. Gives a complaint for each that
# ended its process, took over `seconds` or `megabytes`, or spoke in R's own words.
hunt <- function(n, try_one, batch = 100, seconds = 10, megabytes = 500, cores = 2) {
  verdicts <- character(n)
  waiting <- split(seq_len(n), ceiling(seq_len(n) / batch))
  folder <- tempfile("hunt-")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  begun <- 0
  running <- list()
  while (length(waiting) || length(running)) {
    while (length(running) < cores && length(waiting)) {
      begun <- begun + 1
      running <- c(running, list(hunting_process(file.path(folder, begun), waiting[[1]], try_one, seconds, megabytes)))
      waiting <- waiting[-1]
    }
    Sys.sleep(0.1)
    still <- list()
    for (one in running) {
      if (is_hunting(one, seconds)) {
        still <- c(still, list(one))
        next
      }
      told <- grep("^[0-9]+ .", lines_so_far(one$log), value = TRUE)
      verdicts[as.integer(sub(" .*", "", told))] <- sub("^[0-9]+ ", "", told)
      rest <- one$places[-seq_along(told)]
      if (length(told) == 0) rest <- one$places
      if (length(rest) == 0) next
      verdicts[rest[1]] <- "ENDED R, or hung"
      if (length(rest) > 1) waiting <- c(list(rest[-1]), waiting)
    }
    running <- still
  }
  verdicts
}

# A process of its own, not one that is forked: one that crashes takes its temporary files with it, and those of all its kin.
hunting_process <- function(at, places, try_one, seconds, megabytes) {
  dir.create(at)
  job <- file.path(at, "job.rds")
  saveRDS(list(places = places, try_one = try_one, seconds = seconds, megabytes = megabytes, log = file.path(at, "log"), work = hunting), job)
  withr::with_envvar(list(HUNT_JOB = job, TMPDIR = at, R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep), TESTTHAT = NA), {
    system2(file.path(R.home("bin"), "Rscript"), c("-e", shQuote("job <- readRDS(Sys.getenv('HUNT_JOB')); job$work(job)")), wait = FALSE, stdout = FALSE, stderr = FALSE)
  })
  list(log = file.path(at, "log"), places = places, began = Sys.time())
}

lines_so_far <- function(log) if (file.exists(log)) readLines(log, warn = FALSE) else character()

# Of this process alone: the machine may be busy with others.
seconds_worked <- function() sum(proc.time()[c("user.self", "sys.self")])

hunting <- function(job) {
  say <- function(...) cat(..., file = job$log, append = TRUE)
  say("process", Sys.getpid(), "\n")
  for (k in job$places) {
    say(k, "")
    began <- seconds_worked()
    forget_peak()
    held <- memory_held("^VmRSS")
    verdict <- job$try_one(k)
    took <- seconds_worked() - began
    if (took > job$seconds) verdict <- paste0("took ", round(took), " s: ", verdict)
    grown <- memory_held("^VmHWM") - held
    if (grown > job$megabytes) verdict <- paste0("took ", round(grown), " MB: ", verdict)
    say(verdict, "\n", sep = "")
  }
  say("end\n")
}

# Told by the process itself and the system; one that takes too long is ended.
is_hunting <- function(one, seconds) {
  said <- lines_so_far(one$log)
  age <- as.numeric(Sys.time() - one$began, units = "secs")
  if (any(said == "end")) return(FALSE)
  process <- grep("^process", said, value = TRUE)
  if (length(process) == 0) return(age < 60)
  pid <- as.integer(sub("process ", "", process))
  if (age > seconds * 3 + 3 * length(one$places)) tools::pskill(pid, tools::SIGKILL)
  status <- tryCatch(suppressWarnings(readLines(sprintf("/proc/%d/status", pid))), error = function(e) character())
  length(status) > 0 && !any(grepl("^State:\\s+[ZX]", status))
}

# What becomes of code that works on a damaged file.
verdict_of <- function(code) {
  tryCatch(
    {
      suppressWarnings(suppressMessages(utils::capture.output(code)))
      "read"
    },
    tundrel_error = function(e) "refused", interrupt = function(e) "interrupted",
    error = function(e) paste("raw:", gsub("\n", " ", conditionMessage(e)))
  )
}
