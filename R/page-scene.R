# What the page draws live: the readings by panel, and at any values of the parameters the curve, the residuals and the criterion.
# Nothing is posed or compiled anew while a slider is pulled.

# Of more readings than this some are drawn; all are fitted.
most_points_drawn <- 4000
most_scene_panels <- 12
# One place a pixel is all that can be drawn.
curve_places <- 500
most_residuals_drawn <- 600

# The problem compiled once, and where each of its readings is drawn.
page_scene <- function(problem) {
  compiled <- suppressMessages(compile_at_start(problem, check = FALSE))
  problem <- compiled$problem
  predictors <- shape_predictors(problem)
  is_curve <- length(predictors) <= 1
  response <- observed_rows(compiled)
  x <- if (length(predictors) == 1) compiled$columns[[predictors]] else if (is_curve) compiled$used else response
  titles <- scene_titles(problem, compiled)
  shown <- utils::head(unique(titles), most_scene_panels)
  log <- is_curve && length(predictors) == 1 && is.null(clock_along(problem)) && is_log_axis(x)
  scene <- list(
    problem = problem, compiled = compiled, is_curve = is_curve, predictor = if (length(predictors) == 1) predictors, x = x, y = response, rows = compiled$used,
    known = compiled$known_rows %||% integer(length(x)), panel = match(titles, shown), titles = shown, of_panels = length(unique(titles)), log = log
  )
  scene$drawn <- drawn_points(scene)
  scene$places <- lapply(seq_along(shown), function(k) panel_places(scene, k))
  scene$beside <- lapply(seq_along(shown), function(k) panel_beside(scene, k))
  scene$frame <- scene_frames(scene)
  scene
}

# Several curves stand in panels: of groups, of levels and of responses.
scene_titles <- function(problem, compiled) {
  columns <- c(problem$by, if (length(shape_predictors(problem)) == 1) class_columns(problem))
  if (length(columns) == 0) return(rep("", length(compiled$used)))
  classes <- vctrs::vec_slice(tibble::as_tibble(unclass_measurements(problem$measurements))[unique(columns)], compiled$used)
  group_labels(classes)
}

# Readings to draw, evenly along the axis of each panel.
drawn_points <- function(scene) {
  in_panel <- which(!is.na(scene$panel))
  if (length(in_panel) <= most_points_drawn) return(in_panel)
  share <- most_points_drawn / length(in_panel)
  by_panel <- split(in_panel, scene$panel[in_panel])
  sort(unlist(lapply(by_panel, function(rows) {
    rows[rows_to_draw(scene$x[rows], most = max(20, floor(share * length(rows))))]
  }), use.names = FALSE))
}

panel_places <- function(scene, k) {
  x <- scene$x[which(scene$panel == k)]
  x <- x[is.finite(x)]
  if (!scene$is_curve || length(x) == 0) return(numeric())
  ends <- range(x)
  if (scene$log) exp(seq(log(ends[1]), log(ends[2]), length.out = curve_places)) else seq(ends[1], ends[2], length.out = curve_places)
}

# The other columns that the model reads, in one row.
panel_beside <- function(scene, k) {
  columns <- class_columns(scene$problem)
  if (length(columns) == 0) return(NULL)
  first <- scene$rows[match(k, scene$panel)]
  vctrs::vec_slice(tibble::as_tibble(unclass_measurements(scene$problem$measurements))[columns], first)
}

# The range of each panel's axes: of its readings, with some room.
scene_frames <- function(scene) {
  free_y <- has_responses(scene$problem)
  lapply(seq_along(scene$titles), function(k) {
    rows <- which(if (free_y) scene$panel == k else !is.na(scene$panel))
    y <- scene$y[rows]
    list(x = range(scene$x[!is.na(scene$panel)], finite = TRUE), y = with_room(range(c(y, left_out_values(scene)), finite = TRUE)))
  })
}

left_out_values <- function(scene) if (!has_responses(scene$problem)) left_out_table(scene$problem)$y

with_room <- function(range, share = 0.06) {
  room <- share * diff(range)
  range + c(-1, 1) * (if (room > 0) room else max(abs(range), 1) * share)
}

# Readings that were left out, where they lie.
left_out_table <- function(problem) {
  rows <- problem$left_out$row
  none <- data.frame(x = numeric(), y = numeric(), row = integer())
  predictor <- shape_predictors(problem)
  if (length(rows) == 0 || length(predictor) > 1 || has_responses(problem)) return(none)
  data <- vctrs::vec_slice(unclass_measurements(problem$measurements), rows)
  y <- tryCatch(response_of(problem, data), error = function(e) NULL)
  if (is.null(y)) return(none)
  x <- if (length(predictor)) number_columns(data, predictor, seq_along(rows))[[1]] else rows
  table <- data.frame(x = as.double(x), y = y, row = rows)
  table[is.finite(table$x) & is.finite(table$y), ]
}

# The curve of each panel, the residuals that are drawn, and the value, at some values of the free parameters.
scene_at <- function(scene, at, components = FALSE) {
  problem <- scene$problem
  fitted <- fitted_rows(scene$compiled, at)
  residual <- scene$y - fitted
  drawn <- scene$drawn
  if (length(drawn) > most_residuals_drawn) drawn <- drawn[unique(round(seq(1, length(drawn), length.out = most_residuals_drawn)))]
  value <- problem_values(problem, scene$compiled, matrix(at, dimnames = list(names(at), NULL)))
  list(
    value = value, curves = if (scene$is_curve) curves_at(scene, at, problem$model$expression),
    parts = if (components && scene$is_curve) lapply(model_components(problem$model), function(part) curves_at(scene, at, part)),
    fitted = if (!scene$is_curve) data.frame(x = scene$y[drawn], y = fitted[drawn]),
    residuals = data.frame(x = scene$x[drawn], y = residual[drawn], panel = scene$panel[drawn])
  )
}

curves_at <- function(scene, at, expression) {
  lapply(seq_along(scene$places), function(k) {
    x <- scene$places[[k]]
    rows <- stats::setNames(data.frame(x), scene$predictor %||% ".row")
    if (!is.null(scene$beside[[k]])) rows <- data.frame(rows, scene$beside[[k]], check.names = FALSE)
    y <- model_rows(scene$problem, rows, core_evaluate, at, expression = expression)
    data.frame(x, y)
  })
}

# In a sentence, where not all readings or panels are drawn.
scene_remark <- function(scene) {
  n <- sum(!is.na(scene$panel))
  c(
    if (length(scene$drawn) < n) paste0(format(length(scene$drawn), big.mark = ","), " of ", format(n, big.mark = ","), " readings are drawn; all are fitted."),
    if (scene$of_panels > length(scene$titles)) paste0("The first ", length(scene$titles), " of ", format(scene$of_panels, big.mark = ","), " panels are drawn; all are fitted.")
  )
}
