# Expressions that a file holds as text: read, and never evaluated.

plan_expression <- function(plan, key, text, call = rlang::caller_env()) {
  if (is.numeric(text) && length(text) == 1) return(as.numeric(text))
  if (!rlang::is_string(text)) text <- format(text)
  parsed <- tryCatch(
    parse(text = text, keep.source = FALSE),
    error = function(e) {
      refuse("plan", c(
        "The key {.field {key}} of {.file {plan$path}} cannot be read: {.val {text}}.",
        "x" = "{conditionMessage(e)}"
      ), call = call)
    }
  )
  if (length(parsed) != 1) {
    refuse("plan", "The key {.field {key}} of {.file {plan$path}} must hold one expression, not {length(parsed)}.", call = call)
  }
  parsed[[1]]
}
