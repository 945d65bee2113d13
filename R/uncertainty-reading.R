# What a table of uncertainties comes to, in plain sentences.

# Ends that differ by less than this share of an interval's width are the same to a reader.
same_end_share <- 0.1
# Correlations beyond this make two parameters trade off.
near_collinear <- 0.95

uncertainty_reading <- function(run, table, as_said) {
  against <- if (as_said || any(table$by == "profile")) scatter_against(run)
  c(value_read(run), limits_read(table), if (!is.null(against)) paste0(against, ": intervals that take the noise for what was said are too narrow by about as much; see check_residuals()."), ways_compared(run, table, against), small_sample_read(run, table), trades_read(run, table))
}

# A value that R returns may well be a log-likelihood.
value_read <- function(run) {
  if (tells_noise(run$problem) || is_compiled(run$problem) || is_outside(run$problem)) return(NULL)
  "If the function returns a log-likelihood, or its negative, say so in pose(f, returns = \"log_likelihood\"): its curvature and profiles tell how well parameters are known."
}

# Intervals with an end that is none, or is a bound.
limits_read <- function(table) {
  if (!"profile" %in% table$by) return(NULL)
  rows <- table[table$by == "profile", ]
  said <- function(codes, text) {
    hit <- rows$parameter[has_code(rows, codes)]
    if (length(hit)) paste0(and_list(hit), text(length(hit)))
  }
  c(
    said("not_determined", function(n) paste0(if (n > 1) " are" else " is", " not determined by the data: any value fits as well.")),
    said("open_above", function(n) " may be arbitrarily large: no larger value is ruled out by the data."),
    said("open_below", function(n) " may be arbitrarily small: no smaller value is ruled out by the data."),
    said(c("ends_lower", "ends_upper"), function(n) {
      paste0(": the interval", if (n > 1) "s", " would go on beyond a bound, and end", if (n == 1) "s", " there by your condition, not by the data.")
    }),
    said("several_minima", function(n) ": when it is held, the other parameters have several optima; the interval follows the best of them."),
    said("turns_back", function(n) ": the fit gets worse, then better again on the way; look at plot_profile() for other values that fit."),
    said("second_stretch", function(n) ": values outside the interval are not ruled out either, as the note says; the data allow two ranges."),
    said(c("stopped_below", "stopped_above"), function(n) ": the profile was cut short, and an end is not known; it lies no nearer than where the note says that the search was."),
    said(c("lost_below", "lost_above"), function(n) ": the profile broke off where the model could not be fitted, so that end is not known.")
  )
}

# A bootstrap draws from as many residuals as there are readings, and its own ends scatter by this much of an interval, over the
# root of the degrees of freedom, where curvature is exact; with fewer degrees than these it is the weaker way.
bootstrap_scatter <- 0.9
fewest_for_bootstrap <- 20

# What the ends of an interval may differ by without a finding.
same_ends <- function(way, run, table) {
  if (way == "profile") return(same_end_share)
  freedom <- max(1, stats::df.residual(run))
  replicates <- attr(table, "replicates") %||% 999
  same_end_share + bootstrap_scatter / sqrt(freedom) + 1 / sqrt(replicates)
}

# Curvature against the surer ways.
ways_compared <- function(run, table, against = NULL) {
  if (!"curvature" %in% table$by) return(character())
  surer <- intersect(c("profile", "bootstrap", "percentile"), table$by)
  if (length(surer) == 0) return(character())
  if (surer[1] != "profile" && !isTRUE(stats::df.residual(run) >= fewest_for_bootstrap)) {
    return(paste0(
      "With ", count_of(max(0, stats::df.residual(run)), "degree"), " of freedom a bootstrap draws from too few residuals to be held against ",
      "curvature, and is the weaker of the two: add by = \"profile\"."
    ))
  }
  same <- same_ends(surer[1], run, table)
  readings <- lapply(unique(table$parameter), function(name) {
    rows <- table[table$parameter == name, ]
    curvature <- rows[rows$by == "curvature", ]
    other <- rows[rows$by == surer[1], ]
    if (anyNA(c(curvature$lower, curvature$upper, other$lower, other$upper))) return(NULL)
    if (any(is.infinite(c(other$lower, other$upper)))) {
      if (is.finite(curvature$std_error)) return(list(name = name, why = "open"))
      return(NULL)
    }
    width <- other$upper - other$lower
    off <- max(abs(c(curvature$lower - other$lower, curvature$upper - other$upper))) / width
    if (is.na(off) || off <= same) return(list(name = name, why = "agrees"))
    arms <- c(other$estimate - other$lower, other$upper - other$estimate)
    list(name = name, why = "off", off = off, arms = arms, bound = any(has_code(rows, at_a_bound)))
  })
  readings <- Filter(Negate(is.null), readings)
  why <- vapply(readings, `[[`, character(1), "why")
  names <- vapply(readings, `[[`, character(1), "name")
  c(
    if (any(why == "agrees")) {
      paste0("For ", and_list(names[why == "agrees"]), " curvature and ", surer[1], if (surer[1] == "profile") " agree to a tenth of the interval" else " differ by no more than chance would have it",
        if (is.null(against)) ": either may be quoted." else ".")
    },
    if (any(why == "open")) paste0("For ", and_list(names[why == "open"]), " curvature gives a finite interval, but the data set no limit. Quote the ", surer[1], "."),
    vapply(readings[why == "off"], misleading_curvature, character(1), way = surer[1]),
    disagreeing_ways(run, table, surer)
  )
}

misleading_curvature <- function(reading, way) {
  ratio <- max(reading$arms) / min(reading$arms)
  longer <- if (reading$arms[2] > reading$arms[1]) "up" else "down"
  because <- if (reading$bound) {
    "it is cut off by a bound"
  } else if (is.finite(ratio) && ratio > 1.2) {
    paste0("the interval is lopsided (it reaches ", format_number(ratio, 2), " times as far ", longer, ")")
  } else {
    "the criterion is not quadratic there"
  }
  paste0("For ", reading$name, " curvature is off by ", round(100 * reading$off), " % of the interval, because ", because, ". Quote the ", way, ".")
}

# Profile and bootstrap apart: the noise is not what the criterion says.
disagreeing_ways <- function(run, table, surer) {
  if (!all(c("profile", "bootstrap") %in% surer) || !isTRUE(stats::df.residual(run) >= fewest_for_bootstrap)) return(NULL)
  same <- max(0.25, same_ends("bootstrap", run, table))
  apart <- Filter(function(name) {
    a <- table[table$parameter == name & table$by == "profile", ]
    b <- table[table$parameter == name & table$by == "bootstrap", ]
    width <- a$upper - a$lower
    # where the criterion is far from a parabola the bootstrap is no judge
    lopsided <- max((a$upper - a$estimate) / (a$estimate - a$lower), (a$estimate - a$lower) / (a$upper - a$estimate))
    !nzchar(paste0(a$code, b$code)) && is.finite(width) && lopsided < 1.5 && isTRUE(max(abs(c(a$lower - b$lower, a$upper - b$upper))) > same * width)
  }, unique(table$parameter))
  if (length(apart) == 0) return(NULL)
  paste0(
    "For ", and_list(apart), " profile and bootstrap differ by more than a quarter of the interval: ",
    "the noise may not be what the criterion says; look at check_residuals()."
  )
}

# Likelihoods tell their errors as in large samples.
few_for_likelihood <- 20

small_sample_read <- function(run, table) {
  if (!is.null(scale_estimated_beside(run))) return(NULL)
  if (!is_likelihood(run$problem) || is.finite(interval_freedom(run)) || !any(c("curvature", "profile") %in% table$by)) return(NULL)
  counted <- noise_family(run$problem$criterion)$events
  facts <- if (is.null(counted)) run$n else events_counted(run, counted)
  if (!isTRUE((if (is.null(counted)) stats::df.residual(run) else facts - n_estimated(run)) < few_for_likelihood)) return(NULL)
  paste0(
    "Intervals from a likelihood are those of large samples, and ", count_of(facts, if (is.null(counted)) "reading" else "event"), " for ", count_of(n_estimated(run), "parameter"),
    " are few: they tend to be too narrow, more so the fewer there are",
    if (!is.null(noise_family(run$problem$criterion)$spread) && run$problem$criterion$rows_apart) "; where the noise is normal and its scale common, least_squares() allows for that." else "."
  )
}

events_counted <- function(run, counted) {
  compiled <- compiled_of(run)
  counted(response_rows(compiled), other_rows(compiled, run$estimate))
}

# Pairs that the data can hardly tell apart.
trades_read <- function(run, table) {
  if (!all(unique(table$parameter) %in% names(coef(run)))) return(NULL)
  pairs <- strong_pairs(run)
  if (nrow(pairs) == 0) return(NULL)
  paste0(
    paste0(pairs$first, " and ", pairs$second, " (correlation ", formatC(pairs$correlation, digits = 3, format = "f"), ")", collapse = "; "),
    ": nearly collinear. The data determine a combination of the two much better than either alone."
  )
}

strong_pairs <- function(run) {
  correlation <- correlation_of(run)
  # what a tie or a condition makes one is no finding
  correlation <- correlation[rownames(correlation) %in% run$status$free, colnames(correlation) %in% run$status$free, drop = FALSE]
  hits <- which(upper.tri(correlation) & abs(correlation) > near_collinear & abs(correlation) < 1 - 1e-9, arr.ind = TRUE)
  first <- rownames(correlation)[hits[, 1]]
  tibble::new_tibble(list(first = first, second = colnames(correlation)[hits[, 2]], correlation = correlation[hits]), nrow = length(first))
}
