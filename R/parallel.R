# Work shared out: the core's over threads; that of R functions by a plan of the future package, to other processes, machines
# or a batch queue.

# How many evaluations the plan takes on at once; 1 without a plan, or a sequential one.
plan_workers <- function() {
  # a plan may be named for all sessions; else there is none before the package has been loaded, which takes time
  named <- nzchar(Sys.getenv("R_FUTURE_PLAN")) || !is.null(getOption("future.plan"))
  if (!named && !isNamespaceLoaded("future")) return(1L)
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

# lapply() through the plan, where there is one. Nothing random happens in the work itself, so that results do not depend on which worker did what.
# `failed` stands for what brings down each worker that does it.
lapply_planned <- function(x, f, problem = NULL, failed = NULL) {
  if (plan_workers() == 1 || length(x) < 2) return(lapply(x, f))
  pool <- new_pool(f, problem, failed)
  keys <- as.character(seq_along(x))
  found <- from_pool(pool, stats::setNames(x, keys), all = TRUE)
  unname(found[keys])
}

# The same for work of the core, which may be over before another process has begun: as soon as the first items show that the others would take this long,
# these are shared out.
seconds_worth_sharing <- 2

lapply_shared <- function(x, f, problem = NULL) {
  if (plan_workers() == 1 || length(x) < 3) return(lapply(x, f))
  found <- list()
  began <- seconds_now()
  for (k in seq_along(x)) {
    left <- length(x) - length(found)
    each <- (seconds_now() - began) / length(found)
    if (isTRUE(each * left > seconds_worth_sharing)) return(c(found, lapply_planned(x[seq.int(k, length(x))], f, problem)))
    found[[k]] <- f(x[[k]])
  }
  found
}

# Several chunks a worker, so that none waits long for the others.
chunks_of <- function(x, workers) {
  if (workers == 1 || length(x) == 0) return(list(x))
  unname(split(x, ceiling(seq_along(x) * min(length(x), 4 * workers) / length(x))))
}

# Columns of matrices, and elements of vectors, of several lists of the same parts side by side.
side_by_side_parts <- function(parts) {
  sapply(names(parts[[1]]), function(name) {
    each <- lapply(parts, `[[`, name)
    if (is.matrix(each[[1]])) do.call(cbind, each) else unlist(each, use.names = FALSE)
  }, simplify = FALSE)
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
  if (is.null(value) || plan_workers() == 1) return(compiled)
  of_rows <- if (compiled$rows <= most_rows_sent) compiled$residual_function %||% compiled$fitted_function
  wanted <- if (is.null(of_rows)) 1 else compiled$rows
  ask <- of_rows %||% value
  one <- function(x) {
    found <- tryCatch(ask(x), error = function(e) NaN)
    if (is.numeric(found) && length(found) == wanted) found else rep(NaN, wanted)
  }
  # what brings down the worker that calls it is a call that failed
  # a walk that pauses goes on with the calls that are under way
  pool <- compiled$pools$latest %||% new_pool(one, compiled$problem, rep(NaN, wanted))
  if (!is.null(compiled$pools)) compiled$pools$latest <- pool
  back_from <- function(points, all) {
    columns <- stats::setNames(lapply(seq_len(ncol(points)), function(k) points[, k]), apply(points, 2, function(x) paste(sprintf("%a", x), collapse = " ")))
    tryCatch(from_pool(pool, columns, all)[names(columns)], interrupt = function(e) {
      stopped_by_user(e)
      stats::setNames(vector("list", length(columns)), names(columns))
    })
  }
  # a value that is still to come is NA, and one that is none NaN
  values_at <- function(points, all) {
    found <- unname(back_from(points, all))
    value <- vapply(seq_along(found), function(k) {
      if (is.null(found[[k]])) return(NA_real_)
      if (is.null(of_rows)) return(found[[k]])
      if (all(is.finite(found[[k]]))) compiled$value_of_rows(found[[k]], points[, k]) else NaN
    }, 0)
    if (is.null(of_rows)) return(if (is.null(compiled$value_function)) value else structure(value, results = matrix(value, 1)))
    structure(value, results = matrix(unlist(lapply(found, function(rows) rows %||% rep(NaN, wanted))), wanted))
  }
  compiled$batch_function <- function(points) values_at(points, TRUE)
  compiled$late_function <- function(points) values_at(points, FALSE)
  compiled
}

# What a function gives in so many rows is sent back from workers, to be kept; of longer tables the value alone.
most_rows_sent <- 10000
