# Random quadratic and linear programs, and their exact answers by enumeration of what may be active.

# Minimise x'Gx / 2 + a'x subject to normals %*% x >= offsets, of which the first 2p are bounds, two a parameter.
random_program <- function(linear, p = sample(2:4, 1)) {
  names <- paste0("w", seq_len(p))
  root <- matrix(stats::rnorm(p * (p + 1)), ncol = p)
  curvature <- if (linear) matrix(0, p, p) else crossprod(root) * 10^stats::runif(1, -2, 2)
  lower <- round(stats::runif(p, -2, 0), 3)
  upper <- lower + round(stats::runif(p, 0.5, 3), 3)
  inside <- lower + stats::runif(p, 0.2, 0.8) * (upper - lower)
  joint <- round(matrix(stats::rnorm(p * sample(1:3, 1)), ncol = p), 3)
  offsets <- drop(joint %*% inside) - round(stats::runif(nrow(joint), 0, 0.5), 3)
  slope <- if (linear) stats::rnorm(p) * 10^stats::runif(1, -3, 3) else -drop(curvature %*% stats::rnorm(p, 0, 2))
  list(
    names = names, curvature = curvature, slope = slope, normals = rbind(diag(p), -diag(p), joint), offsets = c(lower, -upper, offsets),
    lower = lower, upper = upper, joint = joint, joint_offsets = offsets
  )
}

# The answer and the multipliers: the one set of active constraints whose multipliers are not negative and which leaves all others met.
exact_answer <- function(program) {
  p <- length(program$names)
  m <- nrow(program$normals)
  for (k in if (any(program$curvature != 0)) 0:p else p) {
    for (set in utils::combn(m, k, simplify = FALSE)) {
      active <- program$normals[set, , drop = FALSE]
      system <- rbind(cbind(program$curvature, -t(active)), cbind(active, matrix(0, k, k)))
      if (rcond(system) < 1e-12) next
      solution <- solve(system, c(-program$slope, program$offsets[set]))
      x <- solution[seq_len(p)]
      multipliers <- replace(numeric(m), set, solution[p + seq_len(k)])
      if (all(program$normals %*% x >= program$offsets - 1e-10) && all(multipliers >= -1e-10)) {
        return(list(x = x, value = program_value(program, x), multipliers = multipliers))
      }
    }
  }
  stop("no answer by enumeration")
}

program_value <- function(program, x) drop(x %*% program$curvature %*% x / 2 + sum(program$slope * x))

pose_program <- function(program) {
  number <- function(x) format(x, digits = 17, scientific = TRUE)
  sums <- apply(program$joint, 1, function(k) paste(paste(number(k), "*", program$names), collapse = " + "))
  bounds <- c(paste(program$names, ">=", number(program$lower)), paste(program$names, "<=", number(program$upper)))
  problem <- pose(function(w) program_value(program, w), returns = "value", parameters = program$names)
  middle <- (program$lower + program$upper) / 2
  suppressMessages(
    problem |> start_from(stats::setNames(as.list(middle), program$names)) |>
      subject_to(text = c(bounds, paste(sums, ">=", number(program$joint_offsets))))
  )
}

# In what a run falls short of the exact answer; nothing where it does not.
shortfall <- function(run, program, exact) {
  if (!run$converged) return(paste("not converged:", run$stop_reason))
  size <- abs(exact$value) + sum(abs(program$slope) * pmax(abs(program$lower), abs(program$upper)))
  if (abs(run$value - exact$value) > 1e-9 * size) return(paste("value off by", run$value - exact$value))
  table <- conditions_table(run)
  clear <- max(abs(exact$multipliers)) * 1e-6
  if (any(table$active != (exact$multipliers > clear) & exact$multipliers > clear)) return("active set")
  off <- max(abs(table$multiplier - exact$multipliers))
  if (off > 1e-6 * max(abs(exact$multipliers), max(abs(program$slope)))) return(paste("multipliers off by", off))
  checks <- check_solution(run)
  if (any(checks$verdict == "fail")) return(paste("check fails:", checks$check[checks$verdict == "fail"][1]))
  character()
}

# The least sum of absolute residuals of a linear model: some p readings are met exactly.
least_absolute <- function(columns, y) {
  p <- ncol(columns)
  values <- utils::combn(nrow(columns), p, function(met) {
    if (rcond(columns[met, ]) < 1e-13) return(Inf)
    sum(abs(y - columns %*% solve(columns[met, ], y[met])))
  })
  min(values)
}
