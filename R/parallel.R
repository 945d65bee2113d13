# Work shared out: the core's over threads; that of R functions by a plan of the future package, to other processes, machines
# or a batch queue.

# How many evaluations the plan takes on at once; 1 without a plan, or a sequential one.
plan_workers <- function() {
  if (!requireNamespace("future", quietly = TRUE) || !requireNamespace("future.apply", quietly = TRUE)) return(1L)
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
      "i" = "Results are the same. State fewer {.arg threads}."
    ), class = "tundrel_message_threads", .frequency = "regularly", .frequency_id = "tundrel_threads")
  }
  out
}

# lapply() through the plan, where there is one. Nothing random happens in the work itself.
lapply_planned <- function(x, f) {
  if (plan_workers() == 1) return(lapply(x, f))
  future.apply::future_lapply(x, f, future.seed = NULL, future.packages = "tundrel")
}

# A prepared problem whose values R computes, made ready to be asked for many at a time. Evaluations that fail, in this
# process or in another, are NaN.
in_batches <- function(prepared) {
  value <- prepared$value_function
  if (is.null(value) && !is.null(prepared$residual_function)) {
    residuals <- prepared$residual_function
    value <- function(x) sum(residuals(x)^2)
  }
  workers <- if (is.null(value)) 1 else plan_workers()
  if (workers == 1) return(prepared)
  one <- function(x) {
    found <- tryCatch(value(x), error = function(e) NaN)
    if (is.numeric(found) && length(found) == 1) found else NaN
  }
  prepared$batch_size <- as.integer(min(workers * 4, 1000))
  prepared$batch_function <- function(points) {
    columns <- lapply(seq_len(ncol(points)), function(k) points[, k])
    as.numeric(unlist(lapply_planned(columns, one)))
  }
  prepared
}
