# How large each free parameter may be, from what the model does with it and from the data: a position lies where its predictor
# was measured; anything else has magnitudes that follow from its kind, from the shortest step along a predictor to several times
# its reach, from a small share of the response to several times its largest value, and powers of these.

parameter_ranges <- function(problem, compiled) {
  model <- problem$model
  kinds <- parameter_kinds(model, compiled$status)
  places <- parameter_places(model, compiled$status)
  columns <- compiled$columns[model$predictors]
  spans <- base_spans(response_rows(compiled), columns, c(model$constants, unlist(as.list(compiled$status$fixed))))
  widths <- parameter_widths(model, compiled$status, places, kinds)
  lapply(stats::setNames(nm = rownames(kinds)), function(name) {
    place <- places[[name]]
    if (nzchar(place)) {
      reach <- range(columns[[place]])
      if (diff(reach) > 0) return(structure(reach + c(-0.1, 0.1) * diff(reach), place = TRUE))
    }
    range <- spans_of_kind(kinds[name, ], spans)
    along <- widths[[name]]
    if (!is.null(along)) range[2] <- max(2 * range[1], min(range[2], widest_share * diff(range(columns[[along]]))))
    range
  })
}

# The width of a peak or a step that can be told from a straight line, in the range of its predictor.
widest_share <- 3

# The predictor along which a parameter is a width: it divides the distance of the predictor from a place on it.
parameter_widths <- function(model, status, places, kinds) {
  found <- list()
  waiting <- list(model$expression)
  while (length(waiting)) {
    e <- waiting[[length(waiting)]]
    waiting[length(waiting)] <- NULL
    if (!is.call(e)) next
    if (rlang::is_call(e, "/", n = 2)) {
      inside <- all.vars(e[[2]])
      along <- intersect(inside, unlist(places[intersect(inside, status$free)]))
      for (name in intersect(all.vars(e[[3]]), status$free)) {
        if (length(along) == 1 && !nzchar(places[[name]]) && isTRUE(kinds[name, along] == 1 && sum(abs(kinds[name, colnames(kinds) != ".number"])) == 1)) found[[name]] <- along
      }
    }
    waiting <- c(waiting, as.list(e)[-1])
  }
  found
}

# Of dimensionless parameters, such as exponents.
plain_span <- c(0.02, 20)
# The shortest length along a predictor that can be seen, as a share of its range; the longest, in its range or its size; and the
# same for the response.
shortest_share <- 1 / 200
longest_share <- 20
least_response <- 1e-3
most_response <- 20

base_spans <- function(response, columns, numbers) {
  size <- max(c(abs(response[is.finite(response)]), 0))
  of_column <- function(x) {
    x <- x[is.finite(x)]
    if (length(x) == 0 || all(x == 0)) return(c(1, 1))
    width <- diff(range(x))
    if (width == 0) width <- max(abs(x))
    c(min(shortest_share * width, min(abs(x[x != 0]))), longest_share * max(abs(x), width))
  }
  of_number <- function(x) if (x == 0 || !is.finite(x)) c(1, 1) else abs(c(x, x))
  c(
    list(.response = if (size > 0) c(least_response, most_response) * size else c(1, 1)), lapply(columns, of_column),
    lapply(numbers, of_number), list(.number = exp(c(1, 1)))
  )
}

spans_of_kind <- function(kind, spans) {
  if (all(abs(kind[names(kind) != ".number"]) < 1e-9)) return(plain_span * exp(kind[[".number"]]))
  logs <- vapply(names(kind), function(base) kind[[base]] * log(spans[[base]]), numeric(2))
  low <- exp(sum(apply(matrix(logs, 2), 2, min)))
  high <- exp(sum(apply(matrix(logs, 2), 2, max)))
  if (!all(is.finite(c(low, high))) || low <= 0) return(plain_span)
  if (low == high) c(low / 3, high * 3) else c(low, high)
}

# Longer terms are not compared name by name.
most_names_alike <- 6

# The predictor along which a parameter is a position, or "": one that is taken from a predictor, or compared with it; also where the same is
# made of both before, as in log(x) - log(at).
parameter_places <- function(model, status) {
  places <- stats::setNames(rep("", length(status$free)), status$free)
  settle <- function(terms) {
    predictors <- Filter(function(t) is.symbol(t$expr) && as.character(t$expr) %in% model$predictors, terms)
    alone <- Filter(function(t) is.symbol(t$expr) && as.character(t$expr) %in% status$free, terms)
    for (p in alone) for (x in predictors) if (p$sign != x$sign) places[[as.character(p$expr)]] <<- as.character(x$expr)
    calls <- Filter(function(t) is.call(t$expr) && length(all.vars(t$expr)) <= most_names_alike, terms)
    for (one in calls) for (x in intersect(all.vars(one$expr), model$predictors)) for (other in calls) for (p in intersect(all.vars(other$expr), status$free)) {
      alike <- one$sign != other$sign && identical(substituted(one$expr, stats::setNames(list(as.symbol(p)), x)), other$expr)
      if (alike && !nzchar(places[[p]])) places[[p]] <<- x
    }
  }
  waiting <- c(list(model$expression), unname(model$dynamics$rates))
  while (length(waiting)) {
    e <- waiting[[length(waiting)]]
    waiting[length(waiting)] <- NULL
    if (is.symbol(e) && as.character(e) %in% names(status$tied)) e <- status$tied[[as.character(e)]]
    if (!is.call(e)) next
    name <- as.character(e[[1]])[1]
    if (name %in% c("+", "-")) {
      terms <- signed_terms(e)
      settle(terms)
      waiting <- c(waiting, lapply(terms, `[[`, "expr"))
      next
    }
    if (name %in% c("<", "<=", ">", ">=", "==", "pmin", "pmax", "min", "max") && length(e) == 3) {
      settle(list(list(expr = bare(e[[2]]), sign = 1), list(expr = bare(e[[3]]), sign = -1)))
    }
    waiting <- c(waiting, as.list(e)[-1])
  }
  as.list(places)
}
