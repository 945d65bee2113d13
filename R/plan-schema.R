# Holds a plan against the published schema, inst/schema/plan.json, and says where it does not fit. Of JSON Schema only
# what that file uses is known here; a general validator would need a JavaScript engine.

plan_schema <- function() jsonlite::parse_json(paste(file_lines(system.file("schema", "plan.json", package = "tundrel")), collapse = "\n"))

check_plan_schema <- function(plan, path, call = rlang::caller_env()) {
  need_package("jsonlite", "to check plans")
  schema <- plan_schema()
  check_node(plan, schema, list(path = path, definitions = schema$`$defs`, call = call), list())
}

# `at`: the keys, and numbers of entries, that lead to `x`.
check_node <- function(x, node, plan_file, at) {
  if (!is.null(node$`$ref`)) node <- plan_file$definitions[[basename(node$`$ref`)]]
  choices <- node$anyOf %||% list(node)
  fitting <- Filter(function(choice) any(vapply(unlist(choice$type), fits_type, logical(1), x = x)), choices)
  if (length(fitting) == 0) {
    wanted <- unique(unlist(lapply(choices, `[[`, "type")))
    refuse_entry(plan_file, at, c("x" = paste0("It must be ", paste(type_words[wanted], collapse = " or "), ", and is ", shown_entry(x), ".")))
  }
  node <- fitting[[1]]
  if (!is.null(node$properties) || !is.null(node$additionalProperties)) return(check_object(x, node, plan_file, at))
  if (identical(node$type, "array")) return(check_array(x, node, plan_file, at))
  check_scalar(x, node, plan_file, at)
}

type_words <- c(string = "text", number = "a number", integer = "a whole number", boolean = "true or false", array = "a list", object = "keys with values")

fits_type <- function(type, x) {
  single <- length(x) == 1 && !is.list(x)
  switch(type,
    string = single && is.character(x), number = single && is.numeric(x), boolean = single && is.logical(x),
    integer = single && is.numeric(x) && isTRUE(x == round(x)),
    # one entry stands for a list of one
    array = is.null(names(x)), object = length(x) == 0 || (is.list(x) && rlang::is_named(x))
  )
}

shown_entry <- function(x) {
  if (is.list(x) && !is.null(names(x))) return(paste("keys:", paste(utils::head(names(x), 4), collapse = ", ")))
  if (length(x) == 0) return("empty")
  text <- paste(utils::head(format(unlist(x)), 4), collapse = ", ")
  paste0(if (is.character(x)) "text" else if (length(x) > 1) "a list" else if (is.logical(x)) "true or false" else "a number", ": ", substr(text, 1, 60))
}

check_object <- function(x, node, plan_file, at) {
  for (key in setdiff(unlist(node$required), names(x))) {
    # what stands there instead may be the key by another name
    others <- setdiff(names(x), names(node$properties))
    instead <- Filter(function(other) key %in% c(trade_name(other, key), nearest_name(other, key)), others)
    refuse_entry(plan_file, at, c("x" = paste0("It lacks the key ", key, "."), "i" = if (length(instead)) paste0("Is ", instead[[1]], " meant to be it?")))
  }
  if (length(x) < (node$minProperties %||% 0)) {
    refuse_entry(plan_file, at, c("x" = paste0("It holds nothing; say one of: ", paste(names(node$properties), collapse = ", "), ".")))
  }
  if (length(x) > (node$maxProperties %||% Inf)) {
    refuse_entry(plan_file, at, c("x" = paste0("Only ", node$maxProperties, " of these can hold: ", paste(names(x), collapse = ", "), ".")))
  }
  known <- names(node$properties)
  for (key in names(x)) {
    rule <- node$properties[[key]] %||% node$additionalProperties
    if (isFALSE(rule)) refuse_entry(plan_file, c(at, key), c("x" = paste0("There is no key ", key, " here."), suggestion(key, known, "keys")))
    if (is.list(rule)) check_node(x[[key]], rule, plan_file, c(at, key))
  }
}

check_array <- function(x, node, plan_file, at) {
  n <- length(x)
  if (n < (node$minItems %||% 0) || n > (node$maxItems %||% Inf)) {
    refuse_entry(plan_file, at, c("x" = paste0("It must have ", node$minItems, " entries, and has ", n, ".")))
  }
  for (i in seq_len(n)) check_node(x[[i]], node$items, plan_file, c(at, i))
}

check_scalar <- function(x, node, plan_file, at) {
  allowed <- unlist(node$enum)
  if (!is.null(allowed) && !x %in% allowed) refuse_entry(plan_file, at, c("x" = paste0("It is ", x, "."), suggestion(x, allowed, "choices")))
  if (!is.null(node$minimum) && x < node$minimum) refuse_entry(plan_file, at, c("x" = paste0("It must be at least ", node$minimum, ", and is ", x, ".")))
  if (!is.null(node$maxLength) && nchar(x) > node$maxLength) refuse_entry(plan_file, at, c("x" = paste0("It is longer than ", node$maxLength, " characters.")))
  if (!is.null(node$pattern) && !grepl(node$pattern, x, perl = TRUE)) {
    refuse_entry(plan_file, at, c("x" = paste0("It is ", substr(x, 1, 60), "."), "i" = node$description))
  }
}

refuse_entry <- function(plan_file, at, told) {
  told <- escape_braces(told) |> stats::setNames(names(told))
  refuse("plan", c(paste0("{.file {plan_file$path}} is not a sound plan: ", escape_braces(place_in_plan(plan_file$path, at)), "."), told), call = plan_file$call)
}

# Does what a key of a plan asks for; what is refused is said to stand there.
at_key <- function(plan, at, code) {
  force(plan)
  rlang::try_fetch(code, tundrel_error = function(e) {
    e$body <- c(e$body, "i" = paste0("That is ", place_in_plan(plan$path, at), " of ", plan$path, "."))
    rlang::cnd_signal(e)
  })
}

# "key runs, entry 2, seed, line 14"
place_in_plan <- function(path, at) {
  if (length(at) == 0) return("the file as a whole")
  said <- vapply(at, function(step) if (is.numeric(step)) paste("entry", step) else paste("key", step), character(1))
  paste0(paste(said, collapse = ", "), ", line ", line_in_plan(file_lines(path), at))
}

# The line in which a key or an entry begins; of what is written in one line, that line.
line_in_plan <- function(lines, at) {
  line <- 0
  for (step in at) {
    below <- seq_along(lines) > line
    here <- if (line > 0) lines[line] else ""
    if (is.numeric(step)) {
      dashes <- which(below & grepl("^\\s*-(\\s|$)", lines))
      dashes <- dashes[attr(regexpr("^\\s*", lines[dashes]), "match.length") == attr(regexpr("^\\s*", lines[dashes[1]]), "match.length")]
      flow <- grepl("[[{]", sub("^[^:]*:", "", here))
      if (!flow && length(dashes) >= step) line <- dashes[step]
    } else {
      name <- gsub("([][{}()+*^$|\\\\?.-])", "\\\\\\1", step)
      opens <- grepl(paste0("^\\s*(-\\s+)?[{\"']*", name, "[\"']?\\s*:"), lines)
      inside <- grepl(paste0("[{,]\\s*[\"']?", name, "[\"']?\\s*:"), here)
      if (!inside) {
        found <- which((below | seq_along(lines) == line) & opens)
        if (length(found)) line <- found[1]
      }
    }
  }
  max(line, 1)
}
