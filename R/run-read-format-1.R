# Runs that were stored in format 1.

# The same as they would stand in the current format.
in_current_format <- function(stored) {
  if (!identical(as.numeric(stored$version), 1)) return(stored)
  problem <- stored$problem
  name <- if (isTRUE(problem$own$outside)) "outside" else if (identical(problem$own$kind, "model")) "function" else problem$own$kind %||% "formula"
  stored$problem$evaluator <- c(list(name = name), problem[c("model", "constants", "parameters")], if (length(problem$calls)) problem["calls"], goal = problem$own$goal)
  if (name %in% c("value", "outside")) stored$problem$criterion <- list(name = "value")
  for (part in intersect(c("answer", "search"), names(Filter(Negate(is.null), stored)))) names(stored[[part]])[names(stored[[part]]) == "unfelt"] <- "without_effect"
  stored$version <- run_version
  stored
}
