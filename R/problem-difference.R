# Whether two problems are the same.

# The first part in which two problems differ, NULL for none.
problem_difference <- function(a, b) {
  if (identical(a, b)) return(NULL)
  parts <- list(
    model = model_text, `function` = user_function_parts,
    measurements = function(p) lapply(as.list(p$measurements), as.vector), constants = function(p) p$model$constants,
    `rows left out` = function(p) sort(p$left_out$row), conditions = function(p) sort(condition_texts(p)), criterion = function(p) criterion_in_full(p$criterion)
  )
  for (name in names(parts)) {
    mine <- parts[[name]](a)
    other <- parts[[name]](b)
    if (identical(mine, other)) next
    told <- if (name %in% c("model", "criterion", "conditions")) c(paste(mine, collapse = "; "), paste(other, collapse = "; "))
    # where the words are the same a digit differs
    if (name == "criterion") {
      words <- c(format(a$criterion), format(b$criterion))
      told <- if (words[1] != words[2]) words else c(paste(setdiff(mine, other), collapse = ", "), paste(setdiff(other, mine), collapse = ", "))
    }
    if (!is.null(told)) told[!nzchar(told)] <- "none"
    return(list(part = name, told = told))
  }
  NULL
}

# All that a criterion says, with every digit; a scale that is estimated on the way is not part of it.
criterion_in_full <- function(criterion) {
  parts <- unlist(lapply(unclass(without_found_scale(criterion)), function(part) {
    if (is.numeric(part)) format(part, digits = 17) else if (is.list(part)) vapply(part, expression_text, "") else if (!is.null(part)) expression_text(part)
  }))
  paste(names(parts), "=", parts)
}
