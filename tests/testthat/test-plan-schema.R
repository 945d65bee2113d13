refused_place <- function(...) {
  path <- local_file(c("measurements: lichen-light.csv", "model: uptake ~ a + b * light", ...), ".yaml", parent.frame())
  gsub("[[:space:]]+", " ", cli::ansi_strip(conditionMessage(rlang::catch_cnd(tundrel:::read_plan(path), "tundrel_error_plan"))))
}

test_that("a plan that does not fit the schema is refused by key and line", {
  says <- function(message, ...) for (part in c(...)) expect_match(message, part, fixed = TRUE)
  says(refused_place("modle: y"), "key modle, line 3", "Did you mean model?")
  says(refused_place("start: {a: high}"), "key start, key a, line 3", "must be a number, and is text: high")
  says(refused_place("start:", "  a: 1", "  b: [1, 2]"), "key start, key b, line 5", "must be a number, and is a list: 1, 2")
  says(refused_place("runs:", "  - solver: bfgs", "  - solver: newton", "    max_evaluations: none"), "entry 2, key max_evaluations, line 6")
  says(refused_place("runs:", "  - {solver: bfgs}", "  - {solver: newton, seed: 1.5}"), "entry 2, key seed, line 5", "a whole number")
  says(refused_place("runs: [{starts: 0}]"), "key starts, line 3", "at least 1")
  says(refused_place("criterion:", "  least_squares:", "    sdd: x"), "key sdd, line 5", "Did you mean sd?")
  says(refused_place("criterion: {least_squares: {}, robust_error: {}}"), "Only 1 of these")
  says(refused_place("criterion: {}"), "key criterion, line 3", "It holds nothing; say one of: least_squares")
  says(refused_place("criterion: [a, b]"), "text or keys with values")
  says(refused_place("search_within: {a: [1]}"), "must have 2 entries, and has 1")
  says(refused_place("search_within: {a: {log: [1, 10], low: 3}}"), "There is no key low here")
  says(refused_place("uncertainty: [curvatur]"), "entry 1, line 3", "Did you mean curvature?")
  says(refused_place(paste0("title: [", "a, b]")), "must be text, and is text: a, b")
  says(refused_place("report: ../up.html"), "key report, line 3", "in the output directory")
})

test_that("what is refused on the way is said to stand at its key", {
  plan <- function(...) tundrel:::read_plan(local_file(c(plan_lines()[1:3], ...), ".yaml", parent.frame()))
  expect_refusal(tundrel:::plan_problem(plan("subject_to:", "  - top >")), "condition", "key subject_to, line 4")
  expect_refusal(tundrel:::plan_problem(plan("start: {tip: 3}")), "model", c("Did you mean top?", "key start, line 4"))
})

test_that("the schema knows what the code knows", {
  schema <- tundrel:::plan_schema()
  criteria <- schema$`$defs`$criterion$anyOf[[2]]$properties
  known <- list(least_squares = least_squares, absolute_error = absolute_error, robust_error = robust_error, max_likelihood = max_likelihood)
  expect_setequal(names(criteria), names(known))
  for (name in setdiff(names(known), "max_likelihood")) expect_setequal(names(criteria[[name]]$properties), setdiff(names(formals(known[[name]])), "..."))
  expect_setequal(names(criteria$max_likelihood$properties$censored$properties), setdiff(names(formals(censored)), "..."))
  expect_setequal(unlist(schema$properties$uncertainty$items$enum), tundrel:::ways_to_be_sure)
  expect_setequal(setdiff(names(schema$properties$runs$items$properties), c("solver", "start")), unlist(tundrel:::run_settings))
  for (path in list.files(system.file("examples", package = "tundrel"), "\\.yaml$", full.names = TRUE)) expect_no_error(tundrel:::read_plan(path))
})
