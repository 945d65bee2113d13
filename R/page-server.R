# Joins the desk to the browser: what changed there is sent as HTML, lines and numbers; what is done here is asked of the desk.

# What is asked for while a fit goes on, in milliseconds between looks.
look_every_ms <- 150

page_server <- function(desk, allowed) {
  function(input, output, session) {
    if (!allowed(session$request, shiny::isolate(session$clientData$url_search))) {
      session$close()
      return(invisible())
    }
    page <- new_page(desk, session)
    desk$listeners[[session$token]] <- function() shiny::isolate(page$turn(page$turn() + 1))
    session$onSessionEnded(function() desk$listeners[[session$token]] <- NULL)
    shiny::observe({
      page$turn()
      shiny::isolate(show_desk(page))
    })
    shiny::observeEvent(input$act, heed(on_act, page, input$act))
    shiny::observeEvent(input$pull, heed(on_pull, page, input$pull))
    shiny::observeEvent(input$typing, heed(on_typing, page, input$typing))
    shiny::observeEvent(input$typing_condition, heed(on_typing_condition, page, input$typing_condition))
    shiny::observeEvent(input$picked, heed(on_picked, page, input$picked))
    shiny::observeEvent(input$components, {
      page$components <- isTRUE(input$components)
      page$drawn_start <- NULL
      desk$changed()
    })
    shiny::observeEvent(input$size, {
      page$size <- sound_size(input$size)
      page$scene_key <- NULL
      desk$changed()
    })
    shiny::observeEvent(input$file, desk_do(desk, "upload", list(path = input$file$datapath, name = input$file$name)))
    shiny::observe({
      shiny::invalidateLater(look_every_ms)
      shiny::isolate(look_and_tell(page))
    })
    page_downloads(desk, input, output)
  }
}

# A message that no form of ours sends is not heeded, and harms nothing.
heed <- function(handler, page, message) if (is.list(message)) tryCatch(handler(page, message), error = function(e) NULL)

# What one browser was told already, so that only what changed is sent.
new_page <- function(desk, session) {
  page <- new.env(parent = emptyenv())
  page$desk <- desk
  page$session <- session
  page$turn <- shiny::reactiveVal(0)
  page$sent <- new.env(parent = emptyenv())
  page$shown <- list()
  page$size <- list(width = 700, height = 420, ratio = 1)
  page$components <- FALSE
  page
}

send <- function(page, type, ...) page$session$sendCustomMessage(type, list(...))

# Sent where it is not what was sent last.
send_changed <- function(page, key, type, ...) {
  message <- list(...)
  if (identical(page$sent[[key]], message)) return(invisible())
  page$sent[[key]] <- message
  page$session$sendCustomMessage(type, message)
}

# A part that cannot be shown says so, and the page goes on. What takes long to write is written only where what it is `of` has changed.
put_html <- function(page, id, tags, of = NULL) {
  if (!is.null(of) && identical(page$shown[[id]], of)) return(invisible())
  page$shown[[id]] <- of
  html <- tryCatch(as.character(htmltools::tagList(tags)), error = function(e) as.character(htmltools::tags$p(class = "refused", paste("This part cannot be shown:", plain_sentence(e)))))
  send_changed(page, paste("html", id), "html", id = id, html = html)
}
put_text <- function(page, id, text) send_changed(page, paste("text", id), "text", id = id, text = paste(text, collapse = "\n"))

sound_size <- function(size) {
  number <- function(x, from, to) if (is.numeric(x) && length(x) == 1 && is.finite(x)) min(max(x, from), to) else from
  size <- as.list(size)
  list(width = number(size$width, 250, 2000), height = number(size$height, 150, 1400), ratio = number(size$ratio, 1, 2))
}

on_act <- function(page, asked) {
  desk <- page$desk
  if (identical(asked$act, "handle")) return(on_handle(page, asked$given))
  # paths never come from the page: files arrive through the upload alone
  if (identical(asked$act, "upload")) return(invisible())
  done <- desk_do(desk, asked$act, if (is.list(asked$given)) asked$given else list())
  typed <- act_fields[[as.character(asked$act)[1]]]
  if (done && !is.null(typed)) send(page, "clear", ids = I(typed))
  if (done && asked$act == "condition") put_text(page, "condition-reading", "")
  if (done && asked$act == "hand_over") page$awaits <- union(page$awaits, asked$given$what)
  if (done && asked$act == "leave_out") send(page, "picked", rows = I(numeric()), text = "")
}

# Fields that are empty again after an act was done.
act_fields <- list(
  condition = "condition", leave_out = c("leave-rows", "leave-reason"), paste = "paste", derive = c("derive-name", "derive-text")
)

# Everything that depends on the desk.
show_desk <- function(page) {
  desk <- page$desk
  state <- state_of(desk)
  desk$ranges <- if (is.null(state$problem)) list() else slider_ranges(state$problem, desk$ranges)
  run <- desk$results[[as.character(chosen_id(desk))]]$run
  put_html(page, "sessions-view", view_sessions(desk$sessions))
  put_html(page, "table-view", view_table(state), of = list(state$data, state$by, state$shared, state$columns, state$problem$model, state$problem$left_out))
  show_starts(page, state)
  put_html(page, "conditions-view", view_conditions(state, run))
  put_html(page, "criterion-view", view_criterion(state, if (is.list(desk$found$checks)) desk$found$checks$value$residuals))
  put_html(page, "ranking-view", view_ranking(desk$found$ranking))
  put_html(page, "runs-view", view_runs(state, desk$results, desk$underway, desk$chosen))
  put_html(page, "use-view", view_use(state, desk$results, desk$found, desk$chosen))
  put_html(page, "history-view", view_history(desk$history))
  put_html(page, "model-mathematics", if (!is.null(state$problem)) problem_mathematics(state$problem))
  put_html(page, "model-told", sentence_list(state$dropped, "told"))
  put_text(page, "code", page_code(state, desk$chosen, desk$found$ways, desk$found$asked_next))
  put_text(page, "folder-name", if (!is.null(desk$folder)) paste0("All of it is kept in ", desk$folder))
  put_text(page, "session-name", if (!is.null(desk$folder)) paste0(state$source, " \u00b7 ", basename(desk$folder)))
  send_changed(page, "model", "value", id = "model", value = state$written)
  send_changed(page, "title", "value", id = "title", value = state$title)
  send_changed(page, "undo", "disabled", id = "undo", is = !can_undo(desk$history))
  send_changed(page, "redo", "disabled", id = "redo", is = !can_redo(desk$history))
  result <- desk$results[[as.character(chosen_id(desk))]]
  ready <- c(`of-data` = !is.null(state$data), `of-problem` = !is.null(state$problem), `of-run` = !is.null(result$run), `of-answer` = !is.null(result$run) || !is.null(result$fits))
  for (id in names(ready)) send_changed(page, id, "hidden", id = id, is = !ready[[id]])
  send_changed(page, "hand-over", "hidden", id = "nothing-yet", is = ready[["of-answer"]])
  send_changed(page, "leave-out", "hidden", id = "leave-out-fields", is = is.null(state$problem))
  put_text(page, "writing", writing_told(desk$written))
  take_over_written(page)
  for (step in unique(act_steps)) send_changed(page, paste("said", step), "said", step = step, text = desk$said[[step]] %||% "")
  show_scene(page)
}

# What this window asked for is taken over by it as soon as it is written.
take_over_written <- function(page) {
  for (what in page$awaits) {
    written <- page$desk$written[[what]]
    if (isFALSE(written$ready)) next
    page$awaits <- setdiff(page$awaits, what)
    if (!is.null(written)) send(page, "take_over", id = what)
  }
}

# The fields of the parameters, and apart from them the values, which change with every pull.
show_starts <- function(page, state) {
  problem <- state$problem
  put_html(page, "starts-view", {
    page$sent[["starts"]] <- NULL
    view_starts(state, page$desk$ranges)
  }, of = list(if (!is.null(problem)) parameter_table(problem)[c("parameter", "status")], page$desk$ranges, state$kept))
  if (!is.null(problem)) send_changed(page, "starts", "starts", values = values_at_start(problem, page$desk$ranges))
}

problem_formulas <- function(problem) if (has_responses(problem)) lapply(problem$responses$models, `[[`, "formula") else list(problem$model$formula)

chosen_id <- function(desk) if (is.null(desk$chosen)) "none" else asked_of(state_of(desk), desk$chosen)$id

# The picture is drawn anew where the readings or the model changed, and the curves where a start or a run did.
show_scene <- function(page) {
  desk <- page$desk
  state <- state_of(desk)
  if (is.null(state$problem)) return(show_columns(page))
  key <- replace(state$problem, "start", list(NULL))
  if (!identical(key, page$scene_key)) {
    page$scene <- tryCatch(page_scene(state$problem), tundrel_error = function(e) plain_sentence(e))
    page$scene_key <- key
    page$drawn_start <- page$drawn_run <- page$drawn_kept <- NULL
    if (is.character(page$scene)) {
      put_text(page, "remark", page$scene)
      return(clear_lines(page))
    }
    page$handles <- page_handles(state$problem, page$scene)
    send_picture(page)
  }
  if (is.character(page$scene)) return(invisible())
  start <- start_of_scene(page$scene, state$problem)
  if (!identical(start, page$drawn_start)) {
    page$drawn_start <- start
    show_start(page, start)
  }
  show_kept(page, state)
  show_run(page)
}

start_of_scene <- function(scene, problem) {
  start <- scene$compiled$start
  known <- intersect(names(start), names(problem$start))
  known <- known[!is.na(problem$start[known])]
  start[known] <- problem$start[known]
  start
}

clear_lines <- function(page) {
  for (name in c("start", "run", "parts", "moving", "kept")) send(page, "layer", name = name)
  send(page, "residuals")
  send(page, "handles", handles = list())
}

show_columns <- function(page) {
  desk <- page$desk
  state <- state_of(desk)
  page$scene <- page$scene_key <- NULL
  if (is.null(state$data)) {
    put_text(page, "remark", "The picture appears here as soon as there is a table.")
    return(invisible())
  }
  columns <- tryCatch(if (length(desk$columns)) desk$columns else guessed_columns(state$data, state$source), tundrel_error = function(e) NULL)
  if (is.null(columns) || !all(unlist(columns[c("response", "predictor")]) %in% names(state$data))) return(clear_lines(page))
  key <- list(state$data, columns)
  if (identical(key, page$columns_key)) return(invisible())
  page$columns_key <- key
  drawn <- drawn_picture(picture_of_columns(state$data, columns$predictor, columns$response), page$size$width, page$size$height, page$size$ratio)
  send(page, "picture", uri = picture_uri(drawn$bytes), panels = drawn$panels, points = no_points, alt = paste(columns$response, "against", columns$predictor))
  clear_lines(page)
  put_text(page, "remark", paste0(count_of(nrow(state$data), "row"), "; no model yet."))
}

no_points <- list(x = list(), y = list(), row = list(), panel = list(), out = list(), text = list())

send_picture <- function(page) {
  scene <- page$scene
  drawn <- drawn_picture(picture_plot(scene), page$size$width, page$size$height, page$size$ratio)
  page$panels <- drawn$panels
  send(page, "picture", uri = picture_uri(drawn$bytes), panels = drawn$panels, points = points_to_hover(scene), alt = paste0(count_of(length(scene$y), "reading"), ", and the curve of ", substr(model_text(scene$problem), 1, 200)))
  put_text(page, "remark", paste(scene_remark(scene), collapse = " "))
}

# In units of the axis.
on_axis <- function(scene, x) round_for_screen(if (scene$log) log10(x) else x)
round_for_screen <- function(x) signif(ifelse(is.finite(x), x, NA), 7)

points_to_hover <- function(scene) {
  drawn <- scene$drawn
  gone <- left_out_table(scene$problem)
  if (!scene$is_curve) return(no_points)
  x <- c(scene$x[drawn], gone$x)
  y <- c(scene$y[drawn], gone$y)
  row <- c(posed_rows(scene$problem, scene$rows[drawn]), gone$row)
  list(
    x = I(on_axis(scene, x)), y = I(round_for_screen(y)), row = I(row), panel = I(c(scene$panel[drawn], rep(1, nrow(gone))) - 1), out = I(rep(c(FALSE, TRUE), c(length(drawn), nrow(gone)))),
    text = I(paste0("row ", row, "\n", fit_axis(scene$problem), " ", place_text(scene$problem, x), "\n", response_label(scene$problem), " ", format_number(y), rep(c("", "\nleft out"), c(length(drawn), nrow(gone)))))
  )
}

lines_of <- function(scene, curves) {
  lapply(seq_along(curves), function(k) list(panel = k - 1, x = I(on_axis(scene, curves[[k]]$x)), y = I(round_for_screen(curves[[k]]$y))))
}

# The curve, the residuals and the value at a start; also while it is pulled.
show_start <- function(page, start, nonce = NULL, values = NULL) {
  scene <- page$scene
  now <- scene_at(scene, start, page$components)
  send_layer(page, "start", "start", scene, now)
  send(page, "layer", name = "parts", kind = "part", lines = if (!is.null(now$parts)) unname(unlist(lapply(now$parts, function(part) lines_of(scene, part)), recursive = FALSE)))
  send_residuals(page, now$residuals, "the start")
  send(page, "handles", handles = handles_to_send(page, start))
  send(page, "pulled", value = format_number(now$value, 6), nonce = nonce, values = values)
  put_text(page, "value-of", paste("at the start,", problem_criterion_text(scene$problem)))
}

send_layer <- function(page, name, kind, scene, now) {
  send(page, "layer", name = name, kind = kind, lines = if (!is.null(now$curves)) lines_of(scene, now$curves), dots = if (!is.null(now$fitted)) list(x = I(round_for_screen(now$fitted$x)), y = I(round_for_screen(now$fitted$y))))
}

# `of` says whose they are.
send_residuals <- function(page, residuals, of) {
  most <- max(abs(residuals$y[is.finite(residuals$y)]), 0)
  shown <- order(residuals$panel, residuals$x)
  send(page, "residuals", x = I(on_axis(page$scene, residuals$x[shown])), share = I(round_for_screen(if (most > 0) residuals$y[shown] / most else 0 * residuals$y[shown])), most = format_number(most, 2), of = of)
}

handles_to_send <- function(page, start) {
  places <- handle_places(page$handles, page$scene, start)
  unname(Map(function(one, id) list(id = id, x = on_axis(page$scene, one$x), y = one$y, label = one$label, said = paste0(if (is.finite(one$x)) format_number(one$x), ", ", format_number(one$y))), places, names(places)))
}

show_kept <- function(page, state) {
  if (identical(state$kept, page$drawn_kept)) return(invisible())
  page$drawn_kept <- state$kept
  scene <- page$scene
  if (!scene$is_curve) return(invisible())
  lines <- lapply(utils::tail(state$kept, 5), function(start) {
    at <- scene$compiled$start
    if (!all(names(at) %in% names(start))) return(NULL)
    lines_of(scene, curves_at(scene, start[names(at)], scene$problem$model$expression))
  })
  send(page, "layer", name = "kept", kind = "kept", lines = unname(unlist(lines, recursive = FALSE)))
}

# The curve of the run that is looked at, where it is of the model that is drawn.
show_run <- function(page) {
  desk <- page$desk
  result <- desk$results[[as.character(chosen_id(desk))]]
  if (!is.null(result$fits)) return(show_groups(page, result$fits))
  run <- result$run
  if (identical(run$estimate, page$drawn_run) && !is.null(run)) return(invisible())
  page$drawn_run <- run$estimate
  send(page, "layer", name = "moving")
  if (is.null(run) || !setequal(names(run$estimate), names(page$scene$compiled$start)) || !identical(model_texts(run$problem), model_texts(page$scene$problem))) {
    put_text(page, "best-value", "")
    return(send(page, "layer", name = "run"))
  }
  at <- run$estimate[names(page$scene$compiled$start)]
  now <- scene_at(page$scene, at)
  send_layer(page, "run", "fit", page$scene, now)
  send_residuals(page, now$residuals, paste("run", desk$chosen))
  put_text(page, "best-value", paste0("run ", desk$chosen, ": ", format_number(run$value, 6), if (!run$converged) " (not converged)"))
}

# The curve of each group in its panel.
show_groups <- function(page, fits) {
  scene <- page$scene
  if (identical(fits$value, page$drawn_run) || !scene$is_curve) return(invisible())
  page$drawn_run <- fits$value
  of <- match(scene$titles, group_labels(fits$groups$keys))
  if (anyNA(of) || !setequal(rownames(fits$x), names(scene$compiled$start))) return(send(page, "layer", name = "run"))
  curves <- lapply(seq_along(of), function(k) {
    curves_at(scene, stats::setNames(fits$x[, of[k]], rownames(fits$x))[names(scene$compiled$start)], scene$problem$model$expression)[[k]]
  })
  send(page, "layer", name = "run", kind = "fit", lines = lines_of(scene, curves))
}

# Pulls are drawn at once, and said to the desk only when they end.
on_pull <- function(page, asked) {
  scene <- page$scene
  if (is.null(scene) || is.character(scene)) return(invisible())
  start <- start_of_scene(scene, state_of(page$desk)$problem)
  handle <- asked$handle
  if (!is.null(handle)) {
    start <- moved_by(page, handle, start)
  } else {
    values <- Filter(function(x) is.numeric(x) && length(x) == 1 && is.finite(x), asked$values)
    known <- intersect(names(values), names(start))
    start[known] <- unlist(values[known])
  }
  page$drawn_start <- NULL
  show_start(page, start, asked$nonce, lapply(as.list(start), rounded_text))
}

moved_by <- function(page, handle, start) {
  one <- page$handles[[as.character(handle$id)[1]]]
  numbers <- unlist(handle[c("x", "y")])
  if (is.null(one) || !is.numeric(numbers) || length(numbers) != 2 || !all(is.finite(numbers))) return(start)
  moved <- handle_moved(one, page$scene, start, if (page$scene$log) 10^numbers[[1]] else numbers[[1]], numbers[[2]])
  if (all(is.finite(moved))) moved else start
}

on_handle <- function(page, handle) {
  scene <- page$scene
  if (is.null(scene) || is.character(scene) || !is.list(handle)) return(invisible())
  start <- start_of_scene(scene, state_of(page$desk)$problem)
  moved <- moved_by(page, handle, start)
  changed <- names(start)[moved != start]
  if (length(changed)) desk_do(page$desk, "pulled", list(values = as.list(moved[changed])))
}

# A model that is being typed: its mathematics, or what is wrong with it and where. It is taken by itself once it can be read.
on_typing <- function(page, asked) {
  text <- asked$model
  if (!rlang::is_string(text)) return(invisible())
  state <- state_of(page$desk)
  read <- tryCatch({
    check_typed(text)
    need_data(state)
    list(problem = suppressMessages(posed_from_page(replace(state, "written", text), NULL)$problem))
  }, tundrel_error = function(e) list(mistake = plain_sentence(e)))
  put_text(page, "model-mistake", if (nzchar(trimws(text))) read$mistake)
  put_text(page, "model-words", words_for(text, asked$at, names(state$data)))
  if (is.null(read$problem)) return(invisible())
  put_html(page, "model-mathematics", problem_mathematics(read$problem))
  send(page, "settle", model = text)
}

problem_mathematics <- function(problem) {
  dynamics <- problem$model$dynamics$source
  list(lapply(problem_formulas(problem), formula_math), if (!is.null(dynamics)) dynamics_math(dynamics))
}

# Functions, shapes and columns that begin as the word that is being typed does.
words_for <- function(text, at, columns) {
  at <- if (is.numeric(at) && length(at) == 1) at else nchar(text)
  word <- regmatches(substr(text, 1, at), regexpr("[A-Za-z_.][A-Za-z0-9_.]*$", substr(text, 1, at)))
  if (length(word) == 0 || nchar(word) < 2) return("")
  known <- c(columns, paste0(names(shapes), "(", vapply(shapes, function(shape) paste(shape$arguments, collapse = ", "), ""), ")"), paste0(grep("^[a-z]", language_functions(), value = TRUE), "()"))
  found <- known[startsWith(tolower(known), tolower(word))]
  if (length(found) == 0 || identical(found, word)) "" else paste("Known:", paste(utils::head(found, 6), collapse = ", "))
}

on_typing_condition <- function(page, asked) {
  text <- asked$text
  problem <- state_of(page$desk)$problem
  if (!rlang::is_string(text) || is.null(problem)) return(invisible())
  said <- if (!nzchar(trimws(text))) "" else tryCatch(condition_read_back(problem, check_typed(text)), tundrel_error = function(e) plain_sentence(e))
  put_text(page, "condition-reading", said)
}

# Points that were clicked or swept over are named in the field of rows.
on_picked <- function(page, asked) {
  scene <- page$scene
  if (is.null(scene) || is.character(scene)) return(invisible())
  rows <- if (!is.null(asked$row)) {
    as.numeric(unlist(asked$row))
  } else {
    x <- as.numeric(unlist(asked$x))
    y <- as.numeric(unlist(asked$y))
    if (length(x) != 2 || length(y) != 2) return(invisible())
    if (scene$log) x <- 10^x
    inside <- which(scene$panel == asked$panel + 1 & scene$x >= x[1] & scene$x <= x[2] & scene$y >= y[1] & scene$y <= y[2])
    posed_rows(scene$problem, scene$rows[inside])
  }
  rows <- sort(unique(rows[is.finite(rows)]))
  send(page, "picked", rows = I(utils::head(rows, 1000)), text = row_ranges(rows))
}

# 3, 5-8, 12
row_ranges <- function(rows) {
  if (length(rows) == 0) return("")
  run <- cumsum(c(1, diff(rows) != 1))
  paste(vapply(split(rows, run), function(one) if (length(one) == 1) format(one, scientific = FALSE) else paste0(format(one[1], scientific = FALSE), "-", format(one[length(one)], scientific = FALSE)), ""), collapse = ", ")
}

# Looks at the worker, and tells how far a run has come.
look_and_tell <- function(page) {
  desk <- page$desk
  if (look_at_desk(desk)) desk$changed()
  busy <- worker_is_busy(desk$worker)
  send_changed(page, "stop", "disabled", id = "stop", is = !busy)
  progress <- desk$progress
  waited <- if (!is.null(progress)) paste0("  (", format_seconds(max(0.1, round(progress$waited, 1))), ")")
  put_text(page, "progress", if (busy && !is.null(progress)) paste0(progress$text, waited) else "")
  show_moving(page, progress)
}

show_moving <- function(page, progress) {
  scene <- page$scene
  estimate <- unlist(progress$estimate)
  if (is.null(scene) || is.character(scene) || is.null(estimate) || identical(estimate, page$drawn_moving)) return(invisible())
  page$drawn_moving <- estimate
  at <- scene$compiled$start
  if (!all(names(at) %in% names(estimate))) return(invisible())
  at[] <- as.numeric(estimate[names(at)])
  send_layer(page, "moving", "moving", scene, list(curves = if (scene$is_curve) curves_at(scene, at, scene$problem$model$expression)))
}
