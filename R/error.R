# Every refusal is a classed condition: "tundrel_error_<kind>" under "tundrel_error".
# `message` holds cli bullets: what was wrong, where, and what to do.
refuse <- function(kind, message, call = rlang::caller_env(), envir = parent.frame()) {
  cli::cli_abort(
    message,
    class = c(paste0("tundrel_error_", kind), "tundrel_error"),
    call = call, .envir = envir
  )
}

# The choice that `name` was probably meant to be, or NULL when nothing is near.
nearest_name <- function(name, choices) {
  if (length(choices) == 0) return(NULL)
  distance <- utils::adist(name, choices, ignore.case = TRUE)[1, ]
  best <- which.min(distance)
  # Two letters that changed places count as two changes.
  allowed <- if (nchar(name) < 3) 1 else max(2, nchar(name) %/% 3)
  if (distance[best] > allowed || distance[best] >= nchar(name)) return(NULL)
  choices[best]
}

# A bullet for `refuse()`: "Did you mean ...?", or the choices there are.
suggestion <- function(name, choices, what) {
  near <- trade_name(name, choices) %||% nearest_name(name, choices)
  text <- if (is.null(near)) {
    paste0("The ", what, " are: ", paste(utils::head(choices, 12), collapse = ", "),
           if (length(choices) > 12) ", ...", ".")
  } else {
    paste0("Did you mean ", near, "?")
  }
  c("i" = escape_braces(text))
}

# The same of a file that is not there: the one beside it that was probably meant, or where was looked.
file_meant <- function(path) {
  if (!rlang::is_string(path)) return(NULL)
  near <- nearest_name(basename(path), list.files(dirname(path)))
  text <- if (is.null(near)) paste0("The working directory is ", getwd(), ".") else paste0("Did you mean ", near, "?")
  c("i" = escape_braces(text))
}

# Text that goes into a cli message as it stands.
escape_braces <- function(text) gsub("}", "}}", gsub("{", "{{", text, fixed = TRUE), fixed = TRUE)

# "rows 3, 8 and 12", cut after a few.
name_rows <- function(rows, most = 5) {
  shown <- utils::head(rows, most)
  more <- length(rows) - length(shown)
  text <- if (more > 0) {
    paste0(paste(shown, collapse = ", "), " and ", more, " more")
  } else if (length(shown) > 1) {
    paste(paste(utils::head(shown, -1), collapse = ", "), "and", utils::tail(shown, 1))
  } else {
    as.character(shown)
  }
  paste(if (length(rows) == 1) "row" else "rows", text)
}
