# A seed that was given, or one drawn from the session's generator, for the run to keep.
seed_or_drawn <- function(seed, call = rlang::caller_env()) {
  if (is.null(seed)) return(sample.int(1e9, 1))
  check_number(seed, "seed", "solver", above = 0, or_equal = TRUE, call = call)
  seed
}

# Evaluates `code` with R's generator at `seed`, the same on every platform, and leaves the generator
# as it was; with a NULL seed, `code` draws on as the session does.
with_seed <- function(seed, code) {
  if (is.null(seed)) return(code)
  check_number(seed, "seed", "solver")
  kept <- get0(".Random.seed", globalenv(), inherits = FALSE)
  on.exit(if (is.null(kept)) rm(".Random.seed", envir = globalenv()) else assign(".Random.seed", kept, globalenv()))
  set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  code
}
