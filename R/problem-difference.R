# Whether two problems are the same.

# The first part in which two problems differ, NULL for none.
problem_difference <- function(a, b) {
  if (identical(a, b)) return(NULL)
  without_scale <- function(p) {
    p$criterion$scale <- NULL
    p$criterion
  }
  parts <- list(
    model = function(p) expression_text(p$model$formula),
    `function` = function(p) if (is.function(p$own$fun)) list(body(p$own$fun), formals(p$own$fun), p$own$kind),
    goal = function(p) p$own$goal %||% "", measurements = function(p) lapply(as.list(p$measurements), as.vector), constants = function(p) p$model$constants,
    conditions = function(p) sort(condition_texts(p)), criterion = function(p) format(without_scale(p))
  )
  for (name in names(parts)) {
    mine <- parts[[name]](a)
    other <- parts[[name]](b)
    if (identical(mine, other)) next
    told <- if (name %in% c("model", "goal", "criterion", "conditions")) c(paste(mine, collapse = "; "), paste(other, collapse = "; "))
    if (!is.null(told)) told[!nzchar(told)] <- "none"
    return(list(part = name, told = told))
  }
  NULL
}
