#' Path of a demo file
#'
#' The demo measurements are simulated; `data-raw/` in the sources holds the scripts, seeds and
#' true parameters.
#'
#' @param name \[character(1)] File name, such as `"lichen-light.csv"`. Without one, the names of
#'   all demo files.
#' @return \[character] The full path, or the names there are.
#' @section Errors: `tundrel_error_file` when there is no such demo file.
#' @export
#' @examples
#' demo_file()
#' demo_file("lichen-light.csv")
demo_file <- function(name = NULL) {
  folder <- system.file("extdata", package = "tundrel")
  files <- list.files(folder)
  if (is.null(name)) return(files)
  if (!rlang::is_string(name) || !name %in% files) {
    refuse("file", c("There is no demo file {.val {name}}.", suggestion(as.character(name)[1], files, "demo files")))
  }
  file.path(folder, name)
}
