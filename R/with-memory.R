# Answers that were worked out last, for those who ask the same again: verbs on one run, and fits of one model to many tables.

most_remembered <- 8

# What `work` gives, unless `memory`, an environment, holds what it gave for the same key.
recalled <- function(memory, key, work) {
  for (one in memory$latest) if (identical(one$key, key)) return(one$answer)
  answer <- work
  memory$latest <- utils::head(c(list(list(key = key, answer = answer)), memory$latest), most_remembered)
  answer
}
