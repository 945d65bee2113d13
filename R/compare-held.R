# At which values of its further parameters a fuller model is a simpler one: zero takes a term away, one a factor or a power. Whether it is so is seen at
# values of the others drawn beforehand: curves that agree at all of them are the same.

held_values <- c(0, 1)
# More further parameters than that would be tried in too many ways.
most_further <- 4
draws_compared <- 3
# What integration and rounding leave between curves that are the same.
same_curve <- 1e-7

# NULL where it is not seen to be one; else the `held` values, and parameters that are `idle` then: any value gives the same curve.
held_further <- function(simple, full) {
  further <- setdiff(names(full$estimate), names(simple$estimate))
  if (!may_be_held(simple$problem, full$problem, further) || !all(names(simple$estimate) %in% names(full$estimate))) return(NULL)
  compiled <- list(simple = compiled_of(simple), full = compiled_of(full))
  if (compiled$full$rows != compiled$simple$rows) return(NULL)
  draws <- lapply(seq_len(draws_compared), function(k) drawn_about(full$estimate, k))
  curves <- lapply(draws, function(x) fitted_rows(compiled$simple, x[names(simple$estimate)]))
  agrees <- function(held) {
    all(mapply(function(x, curve) {
      x[names(held)] <- held
      there <- fitted_rows(compiled$full, x)
      all(is.finite(curve)) && all(is.finite(there)) && max(abs(there - curve)) <= same_curve * max(abs(curve), abs(there - mean(there)))
    }, draws, curves))
  }
  # the fewest first: what need not be held is idle
  for (size in seq_along(further)) {
    for (some in utils::combn(further, size, simplify = FALSE)) {
      ways <- as.matrix(expand.grid(rep(list(held_values), size)))
      for (k in seq_len(nrow(ways))) {
        held <- stats::setNames(ways[k, ], some)
        inside <- all(held >= compiled$full$lower[some] & held <= compiled$full$upper[some])
        if (inside && agrees(held)) {
          edge <- some[held == compiled$full$lower[some] | held == compiled$full$upper[some]]
          return(list(held = held, idle = setdiff(further, some), edge = edge))
        }
      }
    }
  }
  NULL
}

# The same readings and noise, and no condition but on the further parameters that only one of them keeps to.
may_be_held <- function(simple, full, further) {
  if (length(further) == 0 || length(further) > most_further || !has_curve(simple) || !has_curve(full) || has_responses(simple) || has_responses(full)) return(FALSE)
  same <- function(part) identical(part(simple), part(full))
  if (!same(function(p) p$model$response) || !same(function(p) lapply(p$known, `[[`, "text")) || !same(function(p) format(p$criterion))) return(FALSE)
  differing <- function(a, b) a$conditions[!vapply(a$conditions, `[[`, "", "text") %in% vapply(b$conditions, `[[`, "", "text")]
  length(differing(simple, full)) == 0 && all(unlist(lapply(differing(full, simple), named_parameters)) %in% further)
}

# The k-th of a sequence of values about `x` that is always the same, no two of them in the same proportion.
drawn_about <- function(x, k) {
  scatter <- ((seq_along(x) + k * length(x)) * (sqrt(5) - 1) / 2) %% 1
  ifelse(x == 0, 0.1, x) * (0.8 + 0.4 * scatter)
}
