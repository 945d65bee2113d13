#' The command line
#'
#' What the command `tundrel` runs. Messages go to standard error, results to standard output.
#'
#' @param arguments \[character] The words after the command's name.
#' @eval c("@details", "\\preformatted{", gsub("%", "\\\\%", utils::head(command_help()[-(1:2)], -3)), "}")
#' @return The exit code: 0 done and converged, 3 done but not converged, 2 bad input or usage, 1
#'   internal error.
#' @export
#' @examples
#' command_line("--help")
command_line <- function(arguments = commandArgs(trailingOnly = TRUE)) {
  commands <- list(
    demo = command_demo, new = command_new, check = command_check, run = command_run, resume = command_resume,
    ask = command_ask, tell = command_tell, compare = command_compare, open = command_open, report = command_report, `next` = command_next, needed = command_needed, solvers = command_solvers, models = command_models
  )
  name <- if (length(arguments)) arguments[[1]] else "--help"
  if (name %in% c("-h", "--help", "help")) {
    cat(command_help(), sep = "\n")
    return(0L)
  }
  if (name == "--version") {
    cat("tundrel ", format(utils::packageVersion("tundrel")), "\n", sep = "")
    return(0L)
  }
  core_ignore_closed_pipes(TRUE)
  on.exit(core_ignore_closed_pipes(FALSE))
  locale <- begin_utf8()
  on.exit(end_utf8(locale), add = TRUE)
  tryCatch(
    {
      if (!name %in% names(commands)) {
        refuse("plan", c("There is no command {.val {name}}.", suggestion(name, names(commands), "commands")))
      }
      commands[[name]](arguments[-1])
    },
    tundrel_error = function(e) report_failure(e, 2L),
    error = function(e) report_failure(e, 1L),
    interrupt = function(e) report_failure(simpleCondition("Interrupted."), 1L)
  )
}

report_failure <- function(e, code) {
  message(if (code == 1L) "Internal error: " else "Error: ", conditionMessage(e))
  code
}

command_help <- function() {
  c(
    "tundrel: fit nonlinear models to measurements and defend the numbers",
    "",
    "  tundrel demo [--out DIR]   fit the demo measurements and show what comes out",
    "  tundrel open [FILE]        open a page to work at in the browser",
    "  tundrel new DATA           write a plan to begin with, from a file of measurements",
    "  tundrel check PLAN         say whether a plan can be run; fits nothing",
    "  tundrel run PLAN           carry out a plan",
    "  tundrel resume PLAN        go on with a plan's run from its checkpoint",
    "  tundrel ask RUN            say at which points a value from outside is wanted next",
    "  tundrel tell RUN FILE      record values that were measured there",
    "  tundrel compare RUN RUN    compare stored runs, of one problem or of several models",
    "  tundrel next RUN           say which readings would tell most",
    "  tundrel needed RUN WISH    say how many more readings it takes",
    "  tundrel report RUN         write the report of a stored run",
    "  tundrel solvers            list the solvers",
    "  tundrel models [NAME]      list the models of the catalogue, or tell about one",
    "",
    "Each command explains itself: tundrel run --help",
    "Exit codes: 0 done and converged, 3 done but not converged, 2 bad input, 1 internal error."
  )
}

# Options of one command, or NULL after its help was shown.
command_options <- function(arguments, usage, description, options = list(), n_positional = 0) {
  need_package("optparse", "for the command line")
  parser <- optparse::OptionParser(usage = usage, description = description, option_list = options)
  parsed <- withCallingHandlers(
    tryCatch(
      optparse::parse_args(parser, arguments, print_help_and_exit = FALSE, positional_arguments = TRUE),
      error = function(e) refuse("plan", c("{conditionMessage(e)}", "i" = "Usage: {usage}"))
    )
  )
  if (isTRUE(parsed$options$help)) {
    optparse::print_help(parser)
    return(NULL)
  }
  wanted <- range(n_positional)
  if (length(parsed$args) < wanted[1] || length(parsed$args) > wanted[2]) {
    expected <- if (wanted[1] == wanted[2]) wanted[1] else if (wanted[1] == 0 && is.finite(wanted[2])) paste("at most", wanted[2]) else if (is.finite(wanted[2])) paste(wanted, collapse = " to ") else paste(wanted[1], "or more")
    refuse("plan", c("{length(parsed$args)} word{?s} given where {expected} {if (wanted[2] == 1) 'is' else 'are'} expected.", "i" = "Usage: {usage}"))
  }
  parsed
}

json_option <- function() optparse::make_option("--json", action = "store_true", default = FALSE, help = "results as JSON, for programs")

cat_json <- function(x) cat(json_text(x), "\n", sep = "")

exit_code <- function(converged) if (all(converged)) 0L else 3L

# Progress goes to standard error.
say_aside <- function(...) message(...)
