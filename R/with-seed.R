# A seed that was given, or one drawn from the session's generator, for the run to keep.
seed_or_drawn <- function(seed, call = rlang::caller_env()) {
  if (is.null(seed)) return(sample.int(1e9, 1))
  check_seed(seed, call)
  seed
}

# Evaluates `code` with R's generator at `seed`, the same on every platform, and leaves the generator as it was; with a NULL seed,
# `code` draws on as the session does.
with_seed <- function(seed, code) {
  if (is.null(seed)) return(code)
  check_seed(seed)
  # R takes seeds of 31 bits
  withr::with_seed(
    seed %% .Machine$integer.max, code, .rng_kind = "Mersenne-Twister", .rng_normal_kind = "Inversion", .rng_sample_kind = "Rejection"
  )
}
