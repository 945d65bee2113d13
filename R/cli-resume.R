# tundrel resume PLAN
command_resume <- function(arguments) {
  given <- command_options(
    arguments, "tundrel resume PLAN",
    paste("Goes on with a plan's run from its checkpoint, as if it had never been interrupted, and writes its results.",
          "A plan that has changed since is refused, with the difference. Example: tundrel resume lichen.yaml"),
    n_positional = 1
  )
  if (is.null(given)) return(0L)
  plan <- read_plan(given$args)
  done <- run_plan(plan, say_aside, resume = TRUE)
  show_done(plan, done)
}
