#' Leave rows out, with a reason
#'
#' Rows that are left out take no part in what follows, and are still there: prints and reports name them with their reason, figures
#' draw them hollow. `put_back()` takes them in again.
#'
#' @param x A problem from [pose()]; or a run, whose problem is meant, begun at its answer.
#' @param rows \[integer] Rows, as numbered in the table that was posed. For `put_back()`, `NULL` means all that were left out.
#' @param where An expression of columns, in the model language, that is true in the rows to leave out, such as `hour > 30` or
#'   `site == "fen"`; other names stand for the numbers that they are where it is written. As text, too.
#' @param reason \[character(1)] Why, in a few words.
#' @param response \[character] Of several responses: of which of them the rows are left out, or put back. `NULL` means all.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return The problem without these rows, or with them.
#' @section Errors: `tundrel_error_measurements` for rows that the table does not have, that were left out (or were not) already, or
#'   that are all there are; `tundrel_error_model` for an expression outside the language.
#' @seealso [compare_answers()] for what a row does to the answer.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' without <- leave_out(run, rows = 27, reason = "lamp flickered") |> fit_local()
#' compare_answers(run, without)
#' leave_out(run, where = light > 900, reason = "beyond the lamp's range") |> fit_local()
leave_out <- function(x, rows = NULL, where = NULL, reason = "", response = NULL, ...) {
  refuse_unknown(...)
  written <- rlang::enquo(where)
  asked <- rlang::enquo(rows)
  problem <- as_problem(x)
  check_table(problem)
  # leave_out(run, hour > 30): what names a column says where
  says_where <- rlang::is_call(rlang::quo_get_expr(asked), c("<", ">", "<=", ">=", "==", "!=", "&", "|", "!"))
  if (says_where && rlang::quo_is_null(written) && any(all.vars(rlang::quo_get_expr(asked)) %in% names(problem$measurements))) {
    written <- asked
    rows <- NULL
  }
  if (!rlang::is_string(reason) || is.na(reason)) refuse("measurements", "{.arg reason} must be one text.")
  of_rows <- stacked_rows(problem, check_rows(problem, rows), response)
  out <- c(of_rows, rows_where(problem, written))
  if (length(out) == 0) {
    refuse("measurements", c("No row is left out.", "i" = "Name them: {.code rows = 27}, or {.code where = hour > 30}{if (!rlang::quo_is_null(written)) '; this holds in no row'}."))
  }
  already <- intersect(problem$left_out$row, of_rows)
  if (length(already)) {
    told <- problem$left_out$reason[match(already[1], problem$left_out$row)]
    refuse("measurements", "{upper_first(name_rows_of(problem, already[1]))} is left out already{if (nzchar(told)) paste0(' (', told, ')')}.")
  }
  problem$criterion <- without_found_scale(problem$criterion)
  with_left_out(problem, out, reason)
}

with_left_out <- function(problem, rows, reason, call = rlang::caller_env()) {
  new <- setdiff(sort(unique(rows)), problem$left_out$row)
  problem$left_out <- vctrs::vec_rbind(problem$left_out, tibble(row = new, reason = rep(reason, length(new))))
  if (nrow(problem$left_out) == nrow(problem$measurements)) refuse("measurements", "These are all rows: nothing would be left.", call = call)
  problem
}

#' @rdname leave_out
#' @export
put_back <- function(x, rows = NULL, response = NULL, ...) {
  refuse_unknown(...)
  problem <- as_problem(x)
  check_table(problem)
  back <- stacked_rows(problem, check_rows(problem, rows), response)
  lone <- setdiff(back, problem$left_out$row)
  if (length(lone)) {
    refuse("measurements", c(
      "{upper_first(name_rows_of(problem, lone[1]))} was not left out.",
      "i" = if (NROW(problem$left_out)) "Left out: {name_rows_of(problem, problem$left_out$row)}." else "Nothing is left out."
    ))
  }
  kept <- if (is.null(rows)) logical(NROW(problem$left_out)) else !problem$left_out$row %in% back
  problem$left_out <- if (any(kept)) problem$left_out[kept, ]
  problem$criterion <- without_found_scale(problem$criterion)
  problem
}

check_table <- function(problem, call = rlang::caller_env()) {
  if (has_curve(problem)) return(invisible())
  refuse("measurements", "{subject_of(problem)} has no rows to leave out.", call = call)
}

check_rows <- function(problem, rows, call = rlang::caller_env()) {
  n <- if (has_responses(problem)) problem$responses$rows else nrow(problem$measurements)
  if (!is.null(rows) && (!is.numeric(rows) || anyNA(rows) || any(rows != round(rows) | rows < 1 | rows > n))) {
    refuse("measurements", c("{.arg rows} must be whole numbers from 1 to {n}.", "x" = "It is {.val {rows}}."), call = call)
  }
  as.integer(rows)
}

# The rows in which an expression of columns is true.
rows_where <- function(problem, written, call = rlang::caller_env()) {
  if (rlang::quo_is_null(written)) return(integer())
  expr <- rlang::quo_get_expr(written)
  if (rlang::is_string(expr)) {
    text <- expr
    expr <- tryCatch(rlang::parse_expr(text), error = function(e) refuse("model", "{.val {text}} is no expression.", call = call))
  }
  data <- unclass_measurements(problem$measurements)
  expr <- written_shapes(expr, call)
  expr <- with_numbers(expr, c(names(data), known_derived(all.vars(expr), data)), rlang::quo_get_env(written))
  used <- setdiff(value_names(expr, call), "pi")
  columns <- c(names(data), known_derived(used, data))
  for (name in setdiff(used, columns)) {
    refuse("model", c("There is no column {.field {name}}.", suggestion(name, names(data), "columns")), call = call)
  }
  for (name in used) check_number_column(data, name, call)
  numbers <- lapply(stats::setNames(nm = used), function(name) as.double(column_of(data, name)))
  collector <- node_collector(used, character())
  place <- collector$add(expr, call)
  holds <- core_evaluate(collector$nodes(), place, numbers, nrow(data), numeric(0))
  missing <- Reduce(`|`, lapply(numbers, is.na), logical(nrow(data)))
  which(holds != 0 & !missing)
}

# The same rows of some of a problem's rows.
left_out_of <- function(left_out, rows) {
  place <- match(left_out$row, rows)
  if (all(is.na(place))) return(NULL)
  tibble(row = place[!is.na(place)], reason = left_out$reason[!is.na(place)])
}

# "left out: lamp flickered"
left_out_text <- function(reason) ifelse(nzchar(reason), paste0("left out: ", reason), "left out")
