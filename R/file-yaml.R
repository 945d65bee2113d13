# Reads a YAML file in which nothing is evaluated. Only `true` and `false` are logical: parameters may
# well be called y or n.
read_yaml_file <- function(path, kind, call = rlang::caller_env()) {
  need_package("yaml", "to read YAML files", call)
  plain <- function(x) if (tolower(x) %in% c("true", "false")) tolower(x) == "true" else x
  tryCatch(
    yaml::read_yaml(path, eval.expr = FALSE, handlers = list("bool#yes" = plain, "bool#no" = plain)),
    error = function(e) refuse(kind, c("{.file {path}} is not YAML.", "x" = "{conditionMessage(e)}"), call = call)
  )
}
