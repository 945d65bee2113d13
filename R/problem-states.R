# Places along the way of each experiment, at which states are looked at.

state_places <- 200

# Rows along each of the first experiments, from its beginning to its last reading; what is shown of them; and how many there are in all.
state_grid <- function(problem, dynamics, most = Inf) {
  data <- problem$measurements
  time <- as.double(data[[dynamics$along]])
  labels <- if (length(dynamics$by)) group_labels(lapply(tibble::as_tibble(unclass_measurements(data))[dynamics$by], as.character)) else rep("", nrow(data))
  all <- unique(labels[!is.na(time)])
  shown <- utils::head(all, most)
  each <- lapply(shown, function(label) {
    mine <- which(labels == label & !is.na(time))
    rows <- vctrs::vec_slice(tibble::as_tibble(unclass_measurements(data)), rep(mine[1], state_places))
    rows[[dynamics$along]] <- seq(dynamics$from, max(time[mine]), length.out = state_places)
    rows
  })
  rows <- do.call(rbind, each)
  list(rows = rows, shown = data.frame(time = rows[[dynamics$along]], experiment = factor(rep(shown, each = state_places), shown)), experiments = length(all))
}
