# How to have the numbers of a report again.

report_reproduction <- function(known, title) {
  h <- htmltools::tags
  run <- known$run
  htmltools::tagList(
    h$h2("Reproduce these results"),
    if (is_compiled(run$problem)) {
      htmltools::tagList(
        h$p(
          "Put this plan beside the file of measurements, name that file in it, and give it to ", report_code("tundrel run"), ":"
        ),
        h$pre(h$code(plan_text(run, title, known$by)))
      )
    } else {
      h$p("The function that the model calls is also needed.")
    },
    if (has_measurements(run$problem)) {
      report_fingerprint(table_as_posed(run$problem))
    },
    report_made_by()
  )
}

report_made_by <- function() {
  report_small("Made by tundrel ", format(utils::packageVersion("tundrel")), " with ", R.version.string, " on ", R.version$platform, ", ",
    format(Sys.Date()), ".")
}

report_fingerprint <- function(data) {
  htmltools::tags$p(paste0("Measurements as fitted: ", count_of(nrow(data), "row"), ", fingerprint "), report_code(fingerprint_of(data)), ".")
}

# Changes with any digit of any reading, and with nothing else.
fingerprint_of <- function(data) {
  folder <- folder_on_disk(data)
  if (!is.null(folder)) return(rlang::hash(unname(tools::md5sum(list.files(folder, "[.]column$", full.names = TRUE)))))
  path <- tempfile()
  on.exit(unlink(path))
  write_text(path, run_json(lapply(as.list(unclass_measurements(data)), stored_column)))
  unname(tools::md5sum(path))
}
