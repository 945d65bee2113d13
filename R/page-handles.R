# Handles on the curve: where a shape or a level of the model can be taken hold of and moved. Each says which parameters follow.

shape_handles <- list(
  peak_gauss = c(x = "centre", y = "height"), peak_lorentz = c(x = "centre", y = "height"), peak_voigt = c(x = "centre", y = "height"),
  peak_pseudo_voigt = c(x = "centre", y = "height"), step_logistic = c(x = "centre", y = "height"), step_gauss = c(x = "centre", y = "height")
)

# A list of handles: `x` and `y` are parameters or NA; `share`, how much of a change in y is a change of the parameter; `label`.
page_handles <- function(problem, scene) {
  free <- parameter_status(problem)$free
  if (!scene$is_curve || length(scene$titles) > 1 || is.null(scene$predictor)) return(list())
  found <- c(handles_of_shapes(problem$model$formula[[3]], free, scene$predictor), handles_of_levels(problem$model$formula[[3]], free))
  stats::setNames(found, vapply(found, function(one) paste(stats::na.omit(c(one$x, one$y)), collapse = "-"), ""))
}

handles_of_shapes <- function(expr, free, predictor) {
  if (!is.call(expr)) return(list())
  name <- if (is.symbol(expr[[1]])) as.character(expr[[1]]) else ""
  inside <- unlist(lapply(as.list(expr)[-1], handles_of_shapes, free = free, predictor = predictor), recursive = FALSE)
  if (!name %in% names(shape_handles)) return(inside)
  arguments <- tryCatch(shape_arguments(name, as.list(expr)[-1], expr, rlang::current_env()), error = function(e) NULL)
  if (is.null(arguments) || !identical(arguments$x, as.symbol(predictor))) return(inside)
  parameter <- function(role) if (is.symbol(arguments[[role]]) && as.character(arguments[[role]]) %in% free) as.character(arguments[[role]]) else NA_character_
  x <- parameter(shape_handles[[name]][["x"]])
  y <- parameter(shape_handles[[name]][["y"]])
  if (is.na(x)) return(inside)
  step <- startsWith(name, "step")
  c(list(list(x = x, y = y, share = if (step) 0.5 else 1, label = if (step) "middle of the step" else "top of the peak")), inside)
}

# A free parameter that is a term of its own is a level.
handles_of_levels <- function(expr, free) {
  terms <- signed_terms(expr)
  alone <- Filter(function(term) term$sign == 1 && is.symbol(term$expr) && as.character(term$expr) %in% free, terms)
  if (length(terms) < 2) return(list())
  lapply(alone, function(term) list(x = NA_character_, y = as.character(term$expr), share = 1, label = "level"))
}

# Where handles are at some values: levels at the left end, others on the curve.
handle_places <- function(handles, scene, at) {
  if (length(handles) == 0) return(list())
  ends <- scene$frame[[1]]$x
  along <- vapply(handles, function(one) if (is.na(one$x)) NA else at[[one$x]], 0)
  height <- vapply(handles, function(one) if (is.na(one$x)) at[[one$y]] else NA, 0)
  height[!is.na(along)] <- curve_value(scene, at, along[!is.na(along)])
  along[is.na(along)] <- ends[1] + 0.02 * diff(ends)
  Map(function(one, x, y) list(x = x, y = y, label = paste0(one$label, ": ", paste(stats::na.omit(c(one$x, one$y)), collapse = ", "))), handles, along, height)
}

curve_value <- function(scene, at, x) if (length(x)) model_rows(scene$problem, stats::setNames(data.frame(x), scene$predictor), core_evaluate, at)

# The parameters after a handle was moved to a place: the height takes what the curve was moved by.
handle_moved <- function(handle, scene, at, x, y) {
  if (!is.na(handle$x)) at[[handle$x]] <- x
  if (!is.na(handle$y)) {
    there <- if (is.na(handle$x)) at[[handle$y]] else curve_value(scene, at, x)
    at[[handle$y]] <- at[[handle$y]] + (y - there) / handle$share
  }
  at
}
