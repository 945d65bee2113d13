# The layers of CONTRIBUTING.md, read from the sources themselves: a caller above, a callee below.
sources <- function(...) testthat::test_path("..", "..", ...)
skip_without_sources <- function() skip_if_not(file.exists(sources("R", "tundrel-package.R")), "the sources are not here")

# The layer of a file by the first word of its name, from the lowest.
layers <- list(
  support = c("check-argument", "demo", "error", "file", "format", "with", "tundrel"),
  problem = c("problem", "evaluator", "user", "criterion", "family", "condition", "model", "measurements", "find", "parallel"),
  run = c("run", "runs", "solver", "start", "scan", "stop"),
  inference = c(
    "uncertainty", "profile", "residuals", "predict", "predictor", "derive", "data", "joint", "correlation", "cross", "bootstrap", "compare",
    "check", "glance", "rank", "design", "simulate", "readings"
  ),
  handing_over = c("cli", "page", "plan", "report", "plot", "print", "workbench")
)

layer_of <- function(file) {
  name <- sub("\\.R$", "", basename(file))
  found <- which(vapply(layers, function(names) name %in% names || sub("-.*$", "", name) %in% setdiff(names, "check-argument"), logical(1)))
  if (name == "check-argument") 1L else unname(found[length(found)])
}

# Names in the place of a function that is called, or handed on by name to something that calls it.
called_names <- function(expr) {
  if (!is.call(expr)) return(character())
  head <- if (is.symbol(expr[[1]])) as.character(expr[[1]])
  if (identical(head, "$")) return(called_names(expr[[2]]))
  unique(c(head, unlist(lapply(as.list(expr), function(part) if (!missing(part)) called_names(part)))))
}

definitions_of <- function(file) {
  found <- Filter(function(e) rlang::is_call(e, "<-") && is.symbol(e[[2]]), as.list(parse(file, keep.source = FALSE)))
  lapply(found, function(e) list(name = as.character(e[[2]]), file = basename(file), calls = called_names(e[[3]])))
}

test_that("no function calls one of a layer above its own", {
  skip_without_sources()
  files <- setdiff(list.files(sources("R"), "\\.R$", full.names = TRUE), sources("R", "RcppExports.R"))
  expect_gt(length(files), 100)
  homeless <- files[lengths(lapply(files, layer_of)) == 0]
  expect_identical(basename(homeless), character())
  all <- unlist(lapply(files, definitions_of), recursive = FALSE)
  home <- stats::setNames(vapply(all, function(d) layer_of(d$file), integer(1)), vapply(all, `[[`, "", "name"))
  expect_false(any(duplicated(names(home))))
  # a call of somebody else's generic, such as residuals(), is one of our methods: of the lowest, where there are several
  methods <- grep("[.]tundrel_", names(home), value = TRUE)
  generic <- sub("[.]tundrel_.*$", "", methods)
  of_anything <- function(name) name %in% c("print", "format") || is.primitive(get0(name, baseenv()))
  foreign <- !generic %in% names(home) & !vapply(generic, of_anything, NA)
  expect_true(all(c("residuals", "coef", "glance") %in% generic[foreign]))
  home <- c(home, tapply(home[methods[foreign]], generic[foreign], min))
  upward <- unlist(lapply(all, function(d) {
    above <- Filter(function(name) home[[name]] > home[[d$name]], intersect(d$calls, names(home)))
    if (length(above)) paste0(d$file, ": ", d$name, "() calls ", above, "()")
  }))
  expect_identical(upward, NULL)
})

test_that("the core knows nothing of R, and the bridge alone knows both", {
  skip_without_sources()
  core <- list.files(sources("src", "core"), "\\.(h|cpp)$", full.names = TRUE, recursive = TRUE)
  expect_gt(length(core), 80)
  includes <- function(file) grep("^#include", readLines(file), value = TRUE)
  of_r <- Filter(function(file) any(grepl("Rcpp|<R\\.h>|Rinternals|R_ext|bridge", includes(file))), core)
  expect_identical(basename(of_r), character())
  talks <- Filter(function(file) any(grepl("<iostream>|<fstream>|<cstdio>", includes(file))), core)
  expect_identical(basename(talks), character())
})

test_that("a folder of the core includes from folders below it only", {
  skip_without_sources()
  # from the lowest
  folders <- c("expression", "solved", "dynamics", "criterion", "problem", "step", "verification", "solver", "inference", "planning")
  core <- list.files(sources("src", "core"), "\\.(h|cpp)$", full.names = TRUE, recursive = TRUE)
  folder_of <- function(file) basename(dirname(file))
  expect_setequal(setdiff(unique(folder_of(core)), "core"), folders)
  upward <- unlist(lapply(core, function(file) {
    included <- regmatches(lines <- readLines(file), regexec("^#include \"\\.\\./([a-z]+)/", lines))
    to <- unlist(lapply(included, `[`, 2))
    to <- to[!is.na(to)]
    above <- to[match(to, folders) > match(folder_of(file), folders)]
    if (length(above)) paste(basename(file), "includes from", above)
  }))
  expect_identical(upward, NULL)
  # and no two headers include each other
  headers <- grep("\\.h$", core, value = TRUE)
  needs <- lapply(stats::setNames(headers, basename(headers)), function(file) {
    basename(sub("^#include \"(.*)\"$", "\\1", grep("^#include \"", readLines(file), value = TRUE)))
  })
  while (any(lengths(needs) == 0)) {
    done <- names(needs)[lengths(needs) == 0]
    needs <- lapply(needs[!names(needs) %in% done], setdiff, done)
  }
  expect_identical(names(needs), character())
})

# Which evaluator, criterion, family or condition something is, is asked in the files of these alone.
test_that("kinds and families are asked about in their own files only", {
  skip_without_sources()
  files <- setdiff(list.files(sources("R"), "\\.R$", full.names = TRUE), sources("R", "RcppExports.R"))
  own <- grepl("^(evaluator|criterion|family|condition|run-residuals|measurements-stored|solver)", basename(files))
  code_of <- function(file) grep("^\\s*#", readLines(file), invert = TRUE, value = TRUE)
  asks <- function(pattern, which) {
    unlist(lapply(files[which], function(file) {
      found <- grep(pattern, code_of(file), value = TRUE)
      if (length(found)) paste0(basename(file), ": ", trimws(found))
    }))
  }
  kinds <- "kind *(==|!=|%in%)|switch\\([^,]*kind|(evaluator|criterion)\\$name *(==|%in%)|inherits\\([^)]*tundrel_(evaluator|criterion)_"
  expect_identical(asks(kinds, !own), NULL)
  expect_true(length(asks(kinds, own)) > 0)
  families <- paste0("[\"'](", paste(names(tundrel:::families()), collapse = "|"), ")[\"']")
  expect_identical(grep("measure|residual_panel", asks(families, !grepl("^family", basename(files))), invert = TRUE, value = TRUE), character())
  expect_true(length(asks(families, grepl("^family", basename(files)))) > 5)
})

# A call into compiled code that saves and restores R's generator makes one where there was none.
test_that("no bridge touches R's random numbers", {
  skip_without_sources()
  expect_false(any(grepl("RNGScope", readLines(sources("src", "RcppExports.cpp")))))
})
