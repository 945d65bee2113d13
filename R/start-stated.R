# What was stated beside the readings tells starts apart that are equally good for these: conditions between parameters, and what was known before. Terms
# that are alike are tried in each other's places, since the readings do not say which is which.

# From how many starts, and up to how many terms that are alike.
most_exchanged_starts <- 5L
most_exchanged_terms <- 5L

with_what_was_stated <- function(found, problem, compiled) {
  status <- compiled$status
  joint <- joint_nodes(joint_conditions(problem, status), status)
  soft <- plain_known_nodes(problem, status)
  if (is.null(joint) && is.null(soft)) return(found)
  candidates <- list(x = found$x, value = found$value)
  for (kind in exchangeable_terms(problem, status)) candidates <- with_exchanged(candidates, kind, compiled)
  values_of <- function(nodes, x) vapply(nodes$roots, function(root) core_evaluate(nodes$nodes, root, list(), 1, stats::setNames(x, colnames(found$x))), 0)
  missed <- apply(candidates$x, 1, function(x) any(values_of(joint, x)[seq_along(joint$roots) > sum(joint$n_equalities)] < 0, na.rm = TRUE))
  pull <- apply(candidates$x, 1, function(x) sum(values_of(soft, x)^2))
  freedom <- max(1, compiled$rows - ncol(found$x))
  scale <- max(found$value[1] / freedom, .Machine$double.xmin)
  first <- order(missed, candidates$value / scale + pull)
  list(x = candidates$x[first, , drop = FALSE], value = candidates$value[first])
}

# What was known, each as a number that was thought to be normal with variance one.
plain_known_nodes <- function(problem, status) {
  if (!has_knowledge(problem)) return(NULL)
  collector <- node_collector(character(), status$free, unlist(as.list(status$fixed)), status$tied)
  roots <- vapply(unlist(lapply(problem$known, `[[`, "terms"), recursive = FALSE), collector$add, integer(1))
  list(nodes = collector$nodes(), roots = roots)
}

# The best of the starts with the terms of one kind in all orders that limits allow, beside all as they are.
with_exchanged <- function(candidates, kind, compiled) {
  for (k in seq_len(min(nrow(candidates$x), most_exchanged_starts))) {
    others <- in_allowed_orders(candidates$x[k, ], kind, compiled)
    candidates$x <- rbind(candidates$x, others)
    candidates$value <- c(candidates$value, rep(candidates$value[k], NROW(others)))
  }
  candidates
}

# All orders of 1 to n but the one that they are in.
all_orders <- function(n) {
  grown <- list(1L)
  for (k in seq_len(n)[-1]) grown <- unlist(lapply(grown, function(order) lapply(0:(k - 1), function(place) append(order, k, place))), recursive = FALSE)
  Filter(function(order) is.unsorted(order), grown)
}
