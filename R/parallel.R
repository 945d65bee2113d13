# Work shared out: the core's over threads; that of R functions by a plan of the future package, to other processes, machines
# or a batch queue.

# How many evaluations the plan takes on at once; 1 without a plan, or a sequential one.
plan_workers <- function() {
  if (!requireNamespace("future", quietly = TRUE) || !requireNamespace("globals", quietly = TRUE)) return(1L)
  future::nbrOfWorkers()
}

# More threads than this bring nothing.
most_threads <- 64

# Does work of the core that is shared out over threads; says so where the machine would not give them.
in_threads <- function(threads, work) {
  out <- work(as.integer(min(threads, most_threads)))
  if (core_take_refused_threads()) {
    cli::cli_inform(c(
      "!" = "The machine started fewer than {threads} threads: the others did their work, which took longer.",
      "i" = "The results are the same. State fewer {.arg threads}."
    ), class = "tundrel_message_threads", .frequency = "regularly", .frequency_id = "tundrel_threads")
  }
  out
}

# lapply() through the plan, where there is one. Nothing random happens in the work itself. What workers do not bring back,
# because they died or cannot be reached, is done again, by new workers or else here: nothing is lost, and results are the same.
lapply_planned <- function(x, f, problem = NULL) {
  workers <- plan_workers()
  if (workers == 1 || length(x) < 2) return(lapply(x, f))
  parts <- unname(split(x, ceiling(seq_along(x) * min(workers, length(x)) / length(x))))
  needed <- names_needed(problem)
  done <- by_workers(parts, f, needed)
  lost <- lengths(done) == 0
  if (any(lost)) {
    revive_plan()
    done[lost] <- by_workers(parts[lost], f, needed)
    lost <- lengths(done) == 0
    cli::cli_inform(c(
      "!" = "Some workers did not return their results; their work was repeated{if (any(lost)) ' in this process'}.",
      "i" = "The results are the same."
    ), class = "tundrel_message_workers")
    done[lost] <- lapply(parts[lost], counted_work, f = f, here = TRUE)
  }
  user_calls$made <- user_calls$made + sum(vapply(done, `[[`, numeric(1), "calls"))
  unlist(lapply(done, `[[`, "found"), recursive = FALSE)
}

# With how many calls of functions of the user's it took in a process that does not share its count with this one.
counted_work <- function(part, f, here = FALSE) {
  before <- user_calls$made
  found <- lapply(part, f)
  list(found = found, calls = if (here) 0 else user_calls$made - before)
}

# What workers bring back of each part; NULL of those that bring nothing back.
by_workers <- function(parts, f, needed) {
  begun <- lapply(parts, function(part) {
    tryCatch(
      future::future(tundrel_work(tundrel_part, tundrel_each),
        globals = c(list(tundrel_work = counted_work, tundrel_part = part, tundrel_each = f), needed$globals),
        packages = c("tundrel", needed$packages), seed = NULL),
      error = function(e) NULL
    )
  })
  lapply(begun, function(one) if (!is.null(one)) tryCatch(future::value(one), FutureError = function(e) NULL))
}

# A plan whose worker has died refuses all further work until it is set anew.
revive_plan <- function() {
  plan <- future::plan("list")
  tryCatch({
    future::plan(future::sequential)
    future::plan(plan)
  }, error = function(e) NULL)
}

# What functions of the user's use that stands in the global environment, which other processes do not share.
names_needed <- function(problem) {
  used_by <- function(what, env) globals::globalsOf(what, envir = env %||% globalenv(), recursive = TRUE, mustExist = FALSE)
  found <- if (!is.null(problem)) lapply(unname(user_code(problem$evaluator, problem)), function(code) used_by(code$what, code$env))
  all <- unlist(lapply(found, as.list), recursive = FALSE)
  where <- unlist(lapply(found, attr, "where"), recursive = FALSE)
  global <- vapply(where, identical, NA, globalenv())
  list(
    globals = as.list(all[!duplicated(names(all)) & global]),
    packages = unlist(unique(lapply(found, function(one) globals::packagesOf(globals::cleanup(one)))))
  )
}

# A compiled problem whose values R computes, made ready to be asked for many at a time. Evaluations that fail, in this
# process or in another, are NaN.
in_batches <- function(compiled) {
  value <- compiled$value_function %||% compiled$kept_value
  workers <- if (is.null(value)) 1 else plan_workers()
  if (workers == 1) return(compiled)
  of_rows <- if (compiled$rows <= most_rows_sent) compiled$residual_function %||% compiled$fitted_function
  wanted <- if (is.null(of_rows)) 1 else compiled$rows
  ask <- of_rows %||% value
  one <- function(x) {
    found <- tryCatch(ask(x), error = function(e) NaN)
    if (is.numeric(found) && length(found) == wanted) found else rep(NaN, wanted)
  }
  compiled$batch_size <- as.integer(min(workers * 4, 1000))
  compiled$batch_function <- function(points) {
    columns <- lapply(seq_len(ncol(points)), function(k) points[, k])
    found <- lapply_planned(columns, one, compiled$problem)
    if (is.null(of_rows)) return(as.numeric(unlist(found)))
    value <- vapply(seq_along(found), function(k) if (all(is.finite(found[[k]]))) compiled$value_of_rows(found[[k]], columns[[k]]) else NaN, 0)
    structure(value, results = matrix(unlist(found), wanted))
  }
  compiled
}

# What a function gives in so many rows is sent back from workers, to be kept; of longer tables the value alone.
most_rows_sent <- 10000
