# Arguments that a function does not have, because what they would say is said elsewhere.

said_elsewhere_of_fits <- c(
  start = "start_from(problem, a = 1)", starts = "fit_multistart(problem, starts = 20)", method = "solver", algorithm = "solver", optimiser = "solver",
  lower = "subject_to(problem, a > 0)", upper = "subject_to(problem, a < 10)", bounds = "subject_to(problem, between(a, 0, 10))",
  constraints = "subject_to(problem, a + b <= 1)", fixed = "subject_to(problem, a == 1)", weights = "judge_by(problem, least_squares(weights = w))",
  sd = "judge_by(problem, least_squares(sd = y_sd))", family = "judge_by(problem, max_likelihood(\"poisson\"))", dependent = "judge_by(problem, least_squares(dependent = dependent(along = hour)))",
  relative = "judge_by(problem, least_squares(relative = \"fitted\"))", predictor_sd = "judge_by(problem, least_squares(sd = y_sd, predictor_sd = c(x = x_sd)))", restricted = "judge_by(problem, max_likelihood(\"normal\", sd = s, restricted = TRUE))",
  varying = "fit_each(problem, varying = \"a\")", criterion = "judge_by(problem, robust_error())",
  loss = "judge_by(problem, robust_error())", data = "pose(data, y ~ a * x)", formula = "pose(data, y ~ a * x)", model = "pose(data, y ~ a * x)",
  subset = "leave_out(problem, where = x > 10)", by = "pose(data, y ~ a * x, by = g)", shared = "fit_each(problem, shared = \"a\")", seed = "fit_global(problem, seed = 1)",
  maximise = "pose(f, returns = \"value\", goal = \"maximise\")", maximize = "pose(f, returns = \"value\", goal = \"maximise\")",
  tol = "tolerance", iterations = "max_iterations", evaluations = "max_evaluations", seconds = "max_seconds", verbose = "progress", trace = "progress", cores = "threads"
)

# Of several arguments, the names of those that are said elsewhere.
are_said_elsewhere <- function(names) tolower(names) %in% names(said_elsewhere_of_fits)

# What arguments are called elsewhere; of those of one line, the first that a function has is meant.
also_called <- list(
  method = c("by", "solver", "loss"), type = c("by", "band", "loss"), kind = "loss", algorithm = "solver", interval = "band",
  conf = "level", conf.level = "level", conf_level = "level", confidence = "level", alpha = "level",
  sigma = "sd", se = "sd", error = "sd", errors = "sd", stdev = "sd", uncertainty = "sd", w = "weights", reml = "restricted",
  n = c("starts", "replicates"), nsim = "replicates", times = "replicates", samples = "replicates",
  parm = "parameters", parameter = "parameters", params = "parameters", which = "parameters", y = "response",
  file = "path", filename = "path", output = "path", path = "file", clean = "na", sheet_name = "sheet", subset = "where",
  tol = "tolerance", max_iter = c("max_iterations", "iterations"), max_evals = "max_evaluations", timeout = "max_seconds",
  log = "x_scale", log_x = "x_scale", logx = "x_scale", log_y = "y_scale", logy = "y_scale", cores = "threads", workers = "threads", pop_size = "population", members = "population"
)

# `given`: what came in beyond the arguments that there are, `own`.
refuse_other_arguments <- function(given, own, call = rlang::caller_env(), said_elsewhere = said_elsewhere_of_fits) {
  if (length(given) == 0) return(invisible())
  name <- rlang::names2(given)[1]
  if (!nzchar(name)) refuse("argument", c("There are more arguments than this function takes.", "i" = if (length(own)) "It takes {.arg {own}}."), call = call)
  elsewhere <- c(intersect(also_called[[tolower(name)]], own), said_elsewhere[tolower(name)])[1]
  if (tolower(name) == "criterion" && !is.na(elsewhere) && rlang::is_call(given[[1]])) elsewhere <- paste0("judge_by(problem, ", expression_text(given[[1]]), ")")
  # the name of an argument is said of those that have it
  if (!grepl("(", elsewhere, fixed = TRUE) && !elsewhere %in% own) elsewhere <- NA
  hint <- if (is.na(elsewhere)) {
    if (length(own)) suggestion(name, own, "arguments")
  } else c("i" = if (elsewhere %in% own) "The argument is called {.arg {elsewhere}}." else "Use {.code {elsewhere}}.")
  refuse("argument", c("There is no argument {.arg {name}} here.", hint), call = call)
}

# For a function that was called with more than its arguments; `said_elsewhere`: of the names, those that belong to another one.
refuse_unknown <- function(..., said_elsewhere = character()) {
  if (...length() == 0) return(invisible())
  own <- setdiff(rlang::fn_fmls_names(rlang::caller_fn()), c("object", "x", "..."))
  refuse_other_arguments(rlang::enexprs(...), own, rlang::caller_env(), said_elsewhere)
}
