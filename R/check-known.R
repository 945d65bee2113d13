# Whether the readings contradict what was known before.

# Below these chances a contradiction is worth a word, or is one.
contradicts <- c(warn = 0.05, fail = 0.001)

check_known_before <- function(run) {
  table <- known_table(run)
  if (is.null(table)) return(NULL)
  worst <- which.min(table$p_value)
  p <- table$p_value[worst]
  share <- paste0(format_number(100 * table$share, 2), " % of what is known of ", table$what, " was known before")
  row <- check_row("knowledge", max(abs(table$off)), if (!isTRUE(p >= contradicts[["warn"]])) if (isTRUE(p < contradicts[["fail"]])) "fail" else "warn" else "pass", if (isTRUE(p >= contradicts[["warn"]])) {
    paste0("The readings agree with what was known; ", and_list(share), ".")
  } else {
    paste0("The readings contradict ", table$condition[worst], ": the answer lies ", format_number(abs(table$off[worst]), 2), " of its standard deviations away, and chance alone puts readings and knowledge as far apart in ", if (p < 0.001) "less than 0.1" else format_number(100 * p, 1), " % of cases.")
  })
  row$p_value <- p
  row
}
