# The terms of a sum at the top of a model's expression, named as they are written, signs included.
model_components <- function(model) {
  terms <- lapply(signed_terms(rlang::f_rhs(model$formula)), function(term) if (term$sign < 0) call("-", term$expr) else term$expr)
  stats::setNames(lapply(terms, written_shapes), vapply(terms, expression_text, character(1)))
}
