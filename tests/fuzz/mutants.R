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
  # in a folder of their own: processes that were forked draw the same names for their files
  logs <- tempfile("hunt-")
  dir.create(logs)
  on.exit(unlink(logs, recursive = TRUE))
  begun <- 0
  one_batch <- function(places) {
    begun <<- begun + 1
    log <- file.path(logs, begun)
    job <- parallel::mcparallel({
      for (k in places) {
        cat(k, "", file = log, append = TRUE)
        began <- proc.time()[["elapsed"]]
        forget_peak()
        held <- memory_held("^VmRSS")
        verdict <- try_one(k)
        took <- proc.time()[["elapsed"]] - began
        if (took > seconds) verdict <- paste0("took ", round(took), " s: ", verdict)
        cat(verdict, "\n", sep = "", file = log, append = TRUE)
      }
      cat("end\n", file = log, append = TRUE)
    }, silent = TRUE)
    list(job = job, log = log, places = places, began = Sys.time())
  }
  finished <- function(running) {
    said <- if (file.exists(running$log)) readLines(running$log, warn = FALSE) else character()
    for (line in grep("^[0-9]", said, value = TRUE)) {
      k <- as.integer(sub(" .*", "", line))
      verdicts[k] <<- sub("^[0-9]+ ?", "", line)
    }
    done <- sum(grepl("^[0-9]+ .", said))
    if (done < length(running$places)) {
      k <- running$places[done + 1]
      verdicts[k] <<- "ENDED R, or hung"
      rest <- running$places[-seq_len(done + 1)]
      if (length(rest)) waiting <<- c(list(rest), waiting)
    }
  }
  # told by the process itself and the system: after one that crashed, what R collects of the others is of no use
  ended <- function(running) {
    suppressWarnings(parallel::mccollect(running$job, wait = FALSE, timeout = 0.1))
    done <- file.exists(running$log) && any(readLines(running$log, warn = FALSE) == "end")
    status <- sprintf("/proc/%d/status", running$job$pid)
    done || !file.exists(status) || any(grepl("^State:\\s+Z", suppressWarnings(tryCatch(readLines(status), error = function(e) "State: Z"))))
  }
  running <- list()
  while (length(waiting) || length(running)) {
    while (length(running) < cores && length(waiting)) {
      running <- c(running, list(one_batch(waiting[[1]])))
      waiting <- waiting[-1]
    }
    still <- list()
    for (one in running) {
      over <- as.numeric(Sys.time() - one$began, units = "secs") > seconds * 3 + length(one$places)
      if (over) tools::pskill(one$job$pid, tools::SIGKILL)
      if (ended(one)) finished(one) else still <- c(still, list(one))
    }
    running <- still
  }
  verdicts
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
