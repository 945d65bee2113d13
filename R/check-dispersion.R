# How far readings scatter, where the noise says it.

# Squares of residuals in units of the noise as it was said to be, less what the fit takes away, are chi-squared.
check_dispersion <- function(checked) {
  freedom <- length(checked$standardised) - checked$moving
  if (freedom < 1) return(too_few("dispersion", checked))
  if (length(unique(checked$readings)) < 3) return(check_line("dispersion", NA, "skip", "How two different readings scatter follows from their means."))
  found <- dispersion(sum(checked$standardised^2), freedom)
  times <- format_number(found$ratio, 2)
  check_line("dispersion", found$ratio, p_verdict(found$p), if (found$p >= 0.05) {
    paste0("Readings scatter as far as was said (", checked$scatter$name, ").")
  } else if (found$ratio > 1) {
    paste0(wide_scatter(found, checked$scatter), ": standard errors are too small by about as much. If the model lacks nothing, ", if (length(checked$scatter$wider)) {
      paste0("take the family ", and_list(checked$scatter$wider), ", or ")
    }, "quote uncertainty(information = \"sandwich\").")
  } else {
    paste0("Readings scatter only ", times, " times as far as was said (", checked$scatter$name, "): standard errors are too large by about as much. Were readings averaged, or smoothed?")
  }, found$p)
}

dispersion <- function(squares, freedom) {
  list(ratio = sqrt(squares / freedom), p = p_on_side(stats::pchisq(squares, freedom), stats::pchisq(squares, freedom, lower.tail = FALSE), "both"))
}

wide_scatter <- function(found, scatter) paste0("Readings scatter ", format_number(found$ratio, 2), " times as far as was said (", scatter$name, ")")

# What contradicts the noise that intervals of a run take for what was said; NULL where nothing does.
scatter_against <- function(run) {
  scatter <- stated_scatter(run$problem$criterion, run$status$free)
  if (is.null(scatter)) return(NULL)
  residuals <- residual_rows(run, compiled_of(run), "quantile", seed = 1)
  freedom <- length(residuals) - sum(run$at_bound == "")
  if (freedom < 1 || length(unique(observed_rows(compiled_of(run)))) < 3) return(NULL)
  found <- dispersion(sum(residuals^2), freedom)
  if (isTRUE(found$p < 0.01 && found$ratio > 1)) wide_scatter(found, scatter)
}
