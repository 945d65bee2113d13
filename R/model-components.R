# The terms of a sum at the top of a model's expression, named as they are written, signs included.
model_components <- function(model) {
  terms <- list()
  take_apart <- function(e, sign) {
    if (rlang::is_call(e, "+", n = 2) || rlang::is_call(e, "-", n = 2)) {
      take_apart(e[[2]], sign)
      take_apart(e[[3]], if (rlang::is_call(e, "-")) -sign else sign)
    } else if (is_parenthesis(e)) {
      take_apart(e[[2]], sign)
    } else {
      terms[[length(terms) + 1]] <<- if (sign < 0) call("-", e) else e
    }
  }
  take_apart(rlang::f_rhs(model$formula), 1)
  stats::setNames(lapply(terms, written_shapes), vapply(terms, expression_text, character(1)))
}
