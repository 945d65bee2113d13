# What a condition is, in words.

condition_words <- function(conditions) {
  said <- c(bound = "a bound on", fixed = "fixes", tied = "ties", linear = "a linear condition on", nonlinear = "a curved condition on", soft = "what was known before of")
  paste(said[[conditions[[1]]$kind]], paste(unique(unlist(lapply(conditions, named_parameters))), collapse = ", "))
}
