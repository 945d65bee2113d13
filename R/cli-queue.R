# Where the command line sends work: the processes of this machine, or a batch queue, as a file says.

# Engines by their names: the package, and the function in it that makes the plan.
engines <- list(
  processes = c("future", "multisession"), slurm = c("future.batchtools", "batchtools_slurm"), sge = c("future.batchtools", "batchtools_sge"),
  lsf = c("future.batchtools", "batchtools_lsf"), torque = c("future.batchtools", "batchtools_torque"), openlava = c("future.batchtools", "batchtools_openlava")
)
queue_keys <- c("engine", "workers", "template", "resources")

# Does `work` with what the file asks for; its paths are relative to it.
on_queue <- function(path, work, call = rlang::caller_env()) {
  if (is.null(path)) return(work)
  asked <- read_queue(path, call)
  engine <- engines[[asked$engine]]
  need_package("future", "to share out work", call)
  need_package(engine[1], "to reach a queue", call)
  before <- do.call(future::plan, c(list(getExportedValue(engine[1], engine[2])), asked[setdiff(names(asked), "engine")]))
  on.exit(future::plan(before))
  force(work)
}

read_queue <- function(path, call) {
  asked <- read_yaml_file(path, "plan", call)
  if (!is.list(asked) || is.null(names(asked))) refuse("plan", c("{.file {path}} names no engine.", "i" = "For example {.code engine: slurm}, with {.code workers: 20} and {.code template: slurm.tmpl} below it."), call = call)
  for (key in setdiff(names(asked), queue_keys)) refuse("plan", c("{.field {key}} is no key of a queue.", suggestion(key, queue_keys, "keys"), "i" = "That is {.file {path}}."), call = call)
  if (!rlang::is_string(asked$engine) || !asked$engine %in% names(engines)) {
    refuse("plan", c("{.field engine} must be one of {.val {names(engines)}}.", "x" = "It is {.val {asked$engine}}.", "i" = "That is {.file {path}}."), call = call)
  }
  if (!is.null(asked$workers) && !(is_whole(asked$workers) && asked$workers >= 1)) refuse("plan", c("{.field workers} must be a whole number from 1 on.", "x" = "It is {.val {asked$workers}}.", "i" = "That is {.file {path}}."), call = call)
  asked <- Filter(Negate(is.null), asked)
  if (asked$engine == "processes") {
    if (length(asked$template) || length(asked$resources)) refuse("plan", c("Processes of this machine have no {.field template} and no {.field resources}.", "i" = "That is {.file {path}}."), call = call)
    return(asked)
  }
  if (!is.null(asked$template)) {
    asked$template <- if (grepl("^(/|~|[A-Za-z]:)", asked$template)) asked$template else file.path(dirname(path), asked$template)
    if (!file.exists(asked$template)) refuse("plan", c("There is no template {.file {asked$template}}.", "i" = "That is key {.field template} of {.file {path}}."), call = call)
    asked$template <- normalizePath(asked$template)
  }
  asked
}
