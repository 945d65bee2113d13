# Rows some at a time, where as many numbers as there are rows would take more memory than the table may.

# So many that R's own work for each block is little beside that on its rows, and that all numbers of a block stay near the processor.
block_rows <- 2^16

# f() of each part of a compiled problem, in a list: of a short table, or where rows are not looked at one by one, of the whole.
over_blocks <- function(compiled, f) {
  if (!comes_in_blocks(compiled)) return(list(f(compiled)))
  lapply(seq(1, compiled$rows, block_rows), function(first) f(compiled_block(compiled, first, min(first + block_rows - 1, compiled$rows))))
}

first_block <- function(compiled) if (comes_in_blocks(compiled)) compiled_block(compiled, 1, block_rows) else compiled

comes_in_blocks <- function(compiled) {
  by_row <- is.null(compiled$user_fitted) && is.null(compiled$nodes$dynamics) && compiled$problem$criterion$rows_apart && !has_responses(compiled$problem)
  by_row && compiled$rows > block_rows
}

compiled_block <- function(compiled, first, last) {
  compiled$columns <- lapply(compiled$columns, core_stretch, first, last)
  for (field in intersect(c("used", "known_rows"), names(compiled))) compiled[[field]] <- compiled[[field]][first:last]
  if (!is.null(compiled$root_weight_rows)) compiled$root_weight_rows <- core_stretch(compiled$root_weight_rows, first, last)
  compiled$rows <- last - first + 1
  compiled
}

sum_over_blocks <- function(compiled, f) sum(vapply(over_blocks(compiled, function(part) sum(f(part))), as.double, 0))

# A column worked out from others, f() of some of its rows at a time: of a table on disk it goes to disk, too.
worked_out <- function(data, rows, f) {
  if (is.null(folder_on_disk(data)) || length(rows) <= block_rows) return(f(rows))
  path <- tempfile("column-")
  opened <- file(path, "wb")
  on.exit({
    close(opened)
    # what is mapped stays until it is let go
    unlink(path)
  })
  for (first in seq(1, length(rows), block_rows)) writeBin(as.double(f(rows[first:min(first + block_rows - 1, length(rows))])), opened)
  flush(opened)
  core_mapped_vector(path, length(rows), FALSE, list())
}
