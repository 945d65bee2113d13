# How well a model predicts rows that it was not fitted to.

# Rows (by their place among those that take part) that are left out together.
left_out_rows <- function(run, compiled, folds, by, seed, call = rlang::caller_env()) {
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
