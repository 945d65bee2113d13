# Stored runs on functions of the user's, from somebody who wants their own code to run when one is read and used.

# Code that would leave a file behind, in the ways that R has to call something.
code_that_leaves <- function(path) {
  touch <- paste0("file.create('", path, "')")
  c(
    touch, paste0("base::", touch), paste0("base:::", touch), paste0("(function() ", touch, ")()"), paste0("{", touch, "; 1}"),
    paste0("eval(quote(", touch, "))"), paste0("do.call('file.create', list('", path, "'))"), paste0("'file.create'('", path, "')"),
    paste0("`file.create`('", path, "')"), paste0("x[", touch, "]"), paste0("x[[", touch, "]]"), paste0("(\\(z) ", touch, ")(1)"),
    paste0("(if (", touch, ") 1 else 2)"), paste0("(x <- ", touch, ")"), paste0("f(x, ", touch, ")"), paste0("f(x, a, ", touch, ")"),
    paste0("lag(", touch, ")"), paste0("exp(", touch, ")"), paste0("get('file.create')('", path, "')"), paste0("local(", touch, ")"),
    paste0("Reduce(file.create, list('", path, "'))"), paste0("switch(1, ", touch, ")"), paste0("(~", touch, ")"), paste0("system('touch ", path, "')"),
    paste0("x$", touch), paste0("x@", touch), paste0("for (i in 1) ", touch), paste0("while (", touch, ") 1"), paste0("repeat ", touch),
    paste0("f(x, a)(", touch, ")"), paste0("f(", touch, ")(x)"), paste0("(x)(", touch, ")"), paste0("1(", touch, ")"), paste0("-", touch),
    paste0("!", touch), paste0("ifelse(x > 0, ", touch, ", 1)"), paste0("peak_gauss(x, ", touch, ", 1, 1)"), paste0("x %in% ", touch), paste0("file.create(path = '", path, "')")
  )
}

own_run <- function() {
  f <- function(x, a, ...) exp(-a * x)
  x <- seq(0.5, 4, length.out = 8)
  run <- pose(data.frame(x, y = exp(-0.6 * x) + 0.01 * sin(9 * x)), y ~ f(x, a)) |> start_from(a = 0.4) |> fit_local()
  path <- tempfile(fileext = ".json")
  on.exit(unlink(path))
  write_run(run, path)
  stored <- jsonlite::read_json(path)
  list(stored = stored[setdiff(names(stored), c("sum", "md5"))], fun = f)
}

hostile_run <- function(stored, code) {
  joined <- function() paste(sample(c("f(x, a)", "0", "a * x"), 1), sample(c("+", "*", "+ 0 *", "-"), 1), sample(code, 1))
  problem <- stored$problem
  names_called <- c("file.create", "system", "eval", "quote", "function", "{", "(", "::", "[", "if", "<-", "do.call", "get", "$", "~", "exp", "x", "a", "y")
  for (turn in seq_len(sample(3, 1))) {
    switch(sample(8, 1),
      problem$evaluator$model <- paste("y ~", joined()), problem$evaluator$model <- paste(sample(code, 1), "~ f(x, a)"),
      problem$evaluator$calls <- as.list(c("f", sample(names_called, sample(3, 1)))), problem$conditions <- list(paste(sample(code, 1), "> 0")),
      problem$criterion$expressions <- list(sd = sample(code, 1)), names(problem$measurements)[1] <- sample(c(code, names_called), 1),
      problem$evaluator$parameters <- as.list(c("a", sample(c(code, names_called), 1))), problem$evaluator$name <- sample(c("value", "residuals", "formula", code[1]), 1)
    )
  }
  if (!any(grepl("create|system|Reduce", problem$evaluator$model))) problem$evaluator$model <- paste("y ~", joined())
  stored$problem <- problem
  stored
}

try_hostile_run <- function(own, k) {
  set.seed(k)
  left <- tempfile("left-")
  path <- tempfile(fileext = ".json")
  on.exit(unlink(c(left, path)))
  writeLines(as.character(jsonlite::toJSON(hostile_run(own$stored, code_that_leaves(left)), auto_unbox = TRUE, null = "null", digits = NA)), path)
  verdict <- verdict_of({
    run <- read_run(path, fun = own$fun)
    print(run)
    print(finish(run, max_evaluations = 50))
    print(suppressWarnings(uncertainty(run)))
    predict(run, data.frame(x = 1))
  })
  if (file.exists(left)) "RAN CODE" else verdict
}
