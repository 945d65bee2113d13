# What a figure of intervals shows, as its title.

surest_first <- c("profile", "bootstrap", "percentile", "curvature")

# Beyond half of its size a parameter counts as not known.
least_known <- 0.5

# "All 3 parameters are known to within 7.8 %"
known_title <- function(names, estimate, lower, upper) {
  share <- pmax(upper - estimate, estimate - lower) / abs(estimate)
  known <- (share <= least_known) %in% TRUE
  within <- paste("known to within", format_number(100 * max(share[known], 0), 2), "%")
  n <- length(names)
  if (!any(known)) return(if (n == 1) paste(names, "is not known to within half of its size") else paste0("None of ", n, " parameters is known to within half of its size"))
  if (n == 1) return(paste(names, "is", within))
  if (all(known)) return(paste("All", n, "parameters are", within))
  paste0(sum(known), " of ", n, " parameters ", if (sum(known) == 1) "is " else "are ", within, "; ", and_list(names[!known]), if (sum(!known) == 1) " is not" else " are not")
}
