# Terms of the model's sum that are the same but for the names of parameters that no other has: for each such kind of term, a list
# of the parameters' names, one vector a term, in the same order.
exchangeable_terms <- function(problem, status) {
  if (!is_compiled(problem)) return(list())
  shared <- all.vars(problem$model$response)
  terms <- model_components(problem$model)
  free <- lapply(terms, function(term) intersect(all.vars(term), status$free))
  counts <- table(unlist(free))
  # what stands in several terms, as a common width, is not exchanged
  owned <- lapply(free, function(names) setdiff(names[counts[names] == 1], shared))
  usable <- lengths(owned) > 0
  shape <- vapply(seq_along(terms), function(i) {
    places <- lapply(seq_along(owned[[i]]), function(k) as.symbol(paste0(".", k)))
    expression_text(do.call(substitute, list(terms[[i]], stats::setNames(places, owned[[i]]))))
  }, character(1))
  kinds <- split(owned[usable], shape[usable])
  unname(lapply(Filter(function(kind) length(kind) > 1, kinds), unname))
}
