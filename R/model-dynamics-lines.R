# Dynamics in lines, as format() writes them and a person types them:
#
#   d parent / d hour = -k * parent
#   parent begins at p0                              or, not at zero: parent begins at p0, at hour = 2
#   an experiment for each bottle
#   expected: parent >= 0
#   at hour = 3, where bottle is B: 5 is added to parent      or: parent is multiplied by 0.5, parent becomes 0

name_in_line <- "([.A-Za-z][.A-Za-z0-9_]*|`[^`]+`)"
lines_of_dynamics <- c(
  rate = paste0("^d ?", name_in_line, " ?/ ?d ?", name_in_line, " *= *(.+)$"), beginning = paste0("^", name_in_line, " begins at (.+)$"),
  experiment = "^an experiment for each (.+)$", expectation = "^expected: *(.+)$", event = paste0("^at ", name_in_line, " *= *([-+.0-9eE]+)((, where ", name_in_line, " is [^,:]+)*): *(.+)$")
)

# Of each line which of these it is, or NA.
kinds_of_lines <- function(lines) {
  found <- vapply(lines_of_dynamics, grepl, logical(length(lines)), x = lines, perl = TRUE)
  found <- matrix(found, length(lines))
  names(lines_of_dynamics)[apply(found, 1, function(row) which(row)[1])]
}

parts_of_line <- function(line, kind) regmatches(line, regexec(lines_of_dynamics[[kind]], line, perl = TRUE))[[1]][-1]

# A name that may stand in backticks.
plain_name <- function(text) gsub("^`|`$", "", trimws(text))

dynamics_of_lines <- function(lines, call = rlang::caller_env()) {
  if (length(lines) == 0) return(NULL)
  kinds <- kinds_of_lines(lines)
  of <- function(kind) lapply(lines[kinds == kind], parts_of_line, kind = kind)
  expression_of <- function(text) {
    expr <- tryCatch(rlang::parse_expr(text), error = function(e) refuse("model", "{.val {substr(text, 1, 200)}} cannot be read as an expression.", call = call))
    check_language(looked_at_first(expr), call)
    expr
  }
  formulas <- function(names, texts) Map(function(name, text) rlang::new_formula(as.symbol(name), expression_of(text), env = emptyenv()), plain_name(names), texts) |> unname()
  rates <- of("rate")
  if (length(rates) == 0) refuse("model", c("There is no rate of change.", "i" = "Write one as {.code d parent / d hour = -k * parent}."), call = call)
  along <- unique(plain_name(vapply(rates, `[`, "", 2)))
  if (length(along) > 1) refuse("model", "The states change along one column, not along {.field {along}}.", call = call)
  begin <- lapply(of("beginning"), begin_of_line, along = along)
  from <- unique(unlist(lapply(begin, `[[`, "from")))
  if (length(from) > 1) refuse("model", "All states begin at one place, not at {from}.", call = call)
  by <- unlist(lapply(of("experiment"), function(parts) plain_name(strsplit(parts[1], ",")[[1]])))
  new_dynamics(
    formulas(vapply(rates, `[`, "", 1), vapply(rates, `[`, "", 3)), along, formulas(vapply(begin, `[[`, "", "state"), vapply(begin, `[[`, "", "text")),
    planned_events(lapply(of("event"), event_of_line, call = call), along), by, from %||% 0, unlist(of("expectation")), call
  )
}

# "p0, at hour = 2" says where, too.
begin_of_line <- function(parts, along) {
  found <- regmatches(parts[2], regexec("^(.+), at ([^=]+?) *= *([-+.0-9eE]+)$", parts[2], perl = TRUE))[[1]]
  if (length(found) && identical(plain_name(found[3]), along)) list(state = parts[1], text = found[2], from = as.numeric(found[4])) else list(state = parts[1], text = parts[2], from = NULL)
}

changes_in_line <- c(add = "^(.+) is added to (.+)$", multiply = "^(.+) is multiplied by (.+)$", set = "^(.+) becomes (.+)$")

event_of_line <- function(parts, call) {
  said <- parts[length(parts)]
  change <- names(changes_in_line)[vapply(changes_in_line, grepl, NA, said, perl = TRUE)][1]
  if (is.na(change)) {
    refuse("model", c("It is not clear what happens: {.val {said}}.", "i" = "Say {.code 5 is added to parent}, {.code parent is multiplied by 0.5} or {.code parent becomes 0}."), call = call)
  }
  words <- regmatches(said, regexec(changes_in_line[[change]], said, perl = TRUE))[[1]][-1]
  if (change != "add") words <- rev(words)
  number <- suppressWarnings(as.numeric(words[1]))
  where <- strsplit(sub("^, where ", "", parts[3]), ", where ", fixed = TRUE)[[1]]
  where <- strsplit(where[nzchar(where)], " is ", fixed = TRUE)
  list(
    at = as.numeric(parts[2]), state = plain_name(words[2]), change = change, amount = if (is.na(number)) words[1] else number,
    where = stats::setNames(lapply(where, `[`, 2), plain_name(vapply(where, `[`, "", 1)))
  )
}
