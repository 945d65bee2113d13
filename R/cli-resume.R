# tundrel resume PLAN
command_resume <- function(arguments) {
  carry_out(
    arguments, "tundrel resume PLAN",
    paste("Goes on with a plan's run from its checkpoint, as if it had never been interrupted, and writes its results.",
          "A plan that has changed since is refused, with the difference. Example: tundrel resume lichen.yaml"),
    resume = TRUE
  )
}
