# Plans, models, tables and spreadsheets, changed at random.
# A YAML file of the package, its bytes or its parts changed.
mutated_yaml <- function(folder, k) {
  folder <- system.file(folder, package = "tundrel")
  name <- sample(list.files(folder, "\\.yaml$"), 1)
  text <- readBin(file.path(folder, name), "raw", 1e5)
  if (k %% 2) return(mutated_bytes(text))
  parts <- yaml::yaml.load(rawToChar(text))
  charToRaw(enc2utf8(yaml::as.yaml(mutant_of(parts, paths_of(parts))$list)))
}

try_plan <- function(k) {
  set.seed(k)
  home <- tempfile("fuzz-")
  dir.create(file.path(home, "examples"), recursive = TRUE)
  on.exit(unlink(home, recursive = TRUE))
  file.copy(system.file("extdata", package = "tundrel"), home, recursive = TRUE)
  path <- file.path(home, "examples", "plan.yaml")
  writeBin(mutated_yaml("examples", k), path)
  verdict_of({
    plan <- read_plan(path)
    problem <- plan_problem(plan)
    for (i in seq_along(planned_runs(plan))) asked_run_of(plan, problem, i)
    output_folder(plan)
    preview(problem)
  })
}

try_model <- function(k) {
  set.seed(k)
  path <- tempfile(fileext = ".yaml")
  on.exit(unlink(path))
  writeBin(mutated_yaml("models", k), path)
  verdict_of(print(read_model(path)))
}

try_table <- function(k) {
  set.seed(k)
  folder <- system.file("extdata", package = "tundrel")
  text <- if (k %% 5 == 0) as.raw(sample(0:255, sample(3000, 1), TRUE)) else readBin(file.path(folder, sample(list.files(folder, "\\.csv$"), 1)), "raw", 1e5)
  for (turn in seq_len(sample(3, 1))) text <- mutated_bytes(text)
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  writeBin(text, path)
  verdict_of({
    data <- read_measurements(path)
    print(data)
    print(summary(data))
  })
}

try_sheet <- function(k, sheet) {
  set.seed(k)
  path <- tempfile(fileext = ".xlsx")
  home <- tempfile("sheet-")
  dir.create(home)
  on.exit(unlink(c(path, home), recursive = TRUE))
  if (k %% 4 == 0) {
    writeBin(mutated_bytes(readBin(sheet, "raw", 1e6)), path)
  } else {
    utils::unzip(sheet, exdir = home)
    part <- sample(list.files(home, "\\.xml$|\\.rels$", recursive = TRUE, full.names = TRUE), 1)
    text <- readBin(part, "raw", 1e6)
    for (turn in seq_len(sample(3, 1))) text <- mutated_bytes(text)
    if (k %% 37 == 0) text <- charToRaw(paste0(strrep("<a>", 1e5), "x", strrep("</a>", 1e5)))
    writeBin(text, part)
    withr::with_dir(home, utils::zip(path, ".", flags = "-rq9X"))
  }
  verdict_of(print(read_measurements(path)))
}

# What tries mutants of each kind of file, in whatever process.
triers <- function(sheet) {
  force(sheet)
  runs <- stored_runs()
  solved <- solved_runs()
  own <- own_run()
  list(
    solved = function(k) try_stored_run(solved, k), hostile = function(k) try_hostile_run(own, k), runs = function(k) try_stored_run(runs, k), plans = try_plan, models = try_model, tables = try_table,
    sheets = function(k) try_sheet(k, sheet)
  )
}
