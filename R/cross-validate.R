# How well a model predicts rows that it was not fitted to.

# Rows (by their place among those that take part) that are left out together.
left_out_rows <- function(run, compiled, folds, by, seed, along = NULL, call = rlang::caller_env()) {
  if (!is.null(along)) return(stretches_left_out(run, compiled, folds, by, along, call))
  group <- seq_along(compiled$used)
  if (!is.null(by)) {
    if (!rlang::is_string(by) || !by %in% names(run$problem$measurements)) {
      refuse("measurements", c("There is no column {.field {by}} to group by.", suggestion(as.character(by)[1],
        names(run$problem$measurements), "columns")), call = call)
    }
    values <- run$problem$measurements[[by]][compiled$used]
    group <- match(values, unique(values))
    if (max(group) < 2) refuse("measurements", "Column {.field {by}} has one value only: there are no groups to leave out.", call = call)
  }
  n <- max(group)
  if (folds >= n) return(unname(split(seq_along(group), group)))
  part <- with_seed(seed, sample(rep_len(seq_len(folds), n)))
  unname(split(seq_along(group), part[group]))
}

# Stretches of rows that lie next to each other along a column, of all groups alike.
stretches_left_out <- function(run, compiled, folds, by, along, call) {
  data <- run$problem$measurements
  if (!is.null(by)) refuse("argument", "Rows are left out by groups, {.arg by}, or by stretches, {.arg along}: state one of them.", call = call)
  if (!rlang::is_string(along) || !along %in% names(data)) refuse("measurements", c("There is no column {.field {along}} to go along.", suggestion(as.character(along)[1], names(data), "columns")), call = call)
  values <- as.double(data[[along]][compiled$used])
  places <- sort(unique(values))
  if (length(places) < 2) refuse("measurements", "Column {.field {along}} has one value only: there are no stretches to leave out.", call = call)
  stretch <- ceiling(seq_along(places) / length(places) * min(folds, length(places)))
  unname(split(seq_along(values), stretch[match(values, places)]))
}

nothing_validated <- list(error = NA_real_, log_score = NA_real_, failed = 0)

cross_validated <- function(run, compiled, left_out, weighted, threads) {
  if (is.null(left_out)) return(nothing_validated)
  validated_rows(run$problem$criterion, run, compiled, left_out, weighted, threads)
}

validated_rows <- function(criterion, run, compiled, left_out, weighted, threads) UseMethod("validated_rows")
validated_rows.tundrel_criterion <- function(criterion, run, compiled, left_out, weighted, threads) {
  none <- nothing_validated
  if (!criterion$rows_apart) return(none)
  kept <- lapply(left_out, function(out) setdiff(seq_len(compiled$rows), out))
  # parts of one size are fitted at once
  refitted <- matrix(NA_real_, length(run$estimate), length(kept))
  for (size in unique(lengths(kept))) {
    if (size <= length(run$estimate)) next
    which <- which(lengths(kept) == size)
    rows <- matrix(unlist(kept[which]), nrow = size)
    found <- refit_all(run, compiled, list(rows = function(k) rows[, k, drop = FALSE]), length(which), threads, paste("refit of", model_text(run$problem)))
    if (!all(found$done)) return(none)
    found$x[, !found$good] <- NA
    refitted[, which] <- found$x
  }
  good <- colSums(is.na(refitted)) == 0
  if (!any(good)) return(utils::modifyList(none, list(failed = length(kept))))
  observed <- observed_rows(compiled)
  weight <- if (weighted && judged_by_squares(run$problem)) stated_root_weight_rows(compiled) else 1
  missed <- score <- rep(NA_real_, compiled$rows)
  for (k in which(good)) {
    out <- left_out[[k]]
    fitted <- fitted_rows(compiled, refitted[, k])
    scale <- if (compiled$relative_to_fitted && weighted) 1 / abs(fitted) else 1
    missed[out] <- ((observed - fitted) * weight * scale)[out]
    if (is_likelihood(run$problem)) score[out] <- log_density_rows(compiled, refitted[, k])[out]
  }
  list(error = sqrt(mean(missed^2, na.rm = TRUE)), log_score = if (is_likelihood(run$problem)) mean(score, na.rm = TRUE) else NA_real_, failed = sum(!good))
}
