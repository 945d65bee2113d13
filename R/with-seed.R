# A seed that was given, or one drawn from the session's generator, for the run to keep.
seed_or_drawn <- function(seed, call = rlang::caller_env()) {
  if (is.null(seed)) return(sample.int(1e9, 1))
  check_seed(seed, call)
  seed
}

# Evaluates `code` with R's generator at `seed`, the same on every platform, and leaves the generator
# as it was; with a NULL seed, `code` draws on as the session does.
with_seed <- function(seed, code) {
  if (is.null(seed)) return(code)
  check_seed(seed)
  kept <- get0(".Random.seed", globalenv(), inherits = FALSE)
  on.exit(if (is.null(kept)) rm(".Random.seed", envir = globalenv()) else assign(".Random.seed", kept, globalenv()))
  # R takes seeds of 31 bits
  set.seed(seed %% .Machine$integer.max, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  code
}
