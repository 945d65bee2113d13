# Work that is shared out to the workers of a plan: each gets its next part as soon as it has brought back the last, and none waits for the slowest.
#
#   f, needed, failed    what is done with an item, what it needs in another process, and what stands for an item that no worker survives (NULL:
#                        this process does it)
#   running              parts under way: the future, and the items by key
#   found                results that nobody has fetched so far, by key
#   lost                 how often each item was lost with its worker
#   seconds, away        what an item takes, about, and how much longer than its work a part is away; NA where nobody knows
#   first, handed        when the first part was begun, and how long it took to hand over

new_pool <- function(f, problem = NULL, failed = NULL) {
  pool <- new.env(parent = emptyenv())
  pool$f <- f
  pool$needed <- names_needed(problem)
  pool$failed <- failed
  pool$running <- pool$found <- list()
  pool$lost <- integer()
  pool$seconds <- pool$away <- pool$first <- pool$handed <- NA_real_
  say_whose_queue()
  pool$broken <- FALSE
  pool
}

# Queues are asked for the jobs of $USER: where that is not set, as in services and containers, they know of none, and each job is taken for expired.
say_whose_queue <- function() {
  if (!nzchar(Sys.getenv("USER"))) Sys.setenv(USER = Sys.info()[["user"]])
}

# A part that a worker gets takes about this long, and longer than it takes to send it and to have it back. Between looks at who is done passes a share of the time that has been waited.
seconds_a_part <- 0.2
times_away <- 4
# Until the first of them is back, no more than so many parts are begun; unless it takes this many times as long as to hand one over.
parts_to_learn <- 2
patience <- 10
look_share <- 0.05
shortest_look <- 0.001
longest_look <- 1

# The results for items, by key: all of them, or as soon as there is one those that are there. Items that are under way already are not begun again.
from_pool <- function(pool, items, all) {
  since <- seconds_now()
  repeat {
    under_way <- unlist(lapply(pool$running, function(part) names(part$items)))
    waiting <- items[!names(items) %in% c(names(pool$found), under_way)]
    begin_parts(pool, waiting[!duplicated(names(waiting))])
    came <- collect_parts(pool)
    there <- names(items) %in% names(pool$found)
    if (if (all) all(there) else any(there)) break
    if (came) since <- seconds_now() else Sys.sleep(min(longest_look, max(shortest_look, look_share * (seconds_now() - since))))
  }
  found <- pool$found[intersect(names(items), names(pool$found))]
  pool$found[names(found)] <- NULL
  if (isTRUE(pool$told)) {
    cli::cli_inform(c("!" = "Some workers did not return their results; their work was repeated.", "i" = "The results are the same."), class = "tundrel_message_workers")
    pool$told <- FALSE
  }
  found
}

# As many parts as workers are free for.
begin_parts <- function(pool, waiting) {
  if (pool$broken) {
    if (length(pool$running)) return(invisible())
    revive_plan()
    pool$broken <- FALSE
  }
  twice <- names(waiting) %in% names(pool$lost)[pool$lost >= 2]
  for (key in names(waiting)[twice]) pool$found[[key]] <- pool$failed %||% pool$f(waiting[[key]])
  waiting <- waiting[!twice]
  workers <- plan_workers()
  while (length(waiting) && length(pool$running) < workers) {
    learning <- is.na(pool$seconds) && length(pool$running) >= parts_to_learn
    if (learning && seconds_now() - pool$first < patience * pool$handed) break
    wanted <- max(seconds_a_part, times_away * pool$away, na.rm = TRUE)
    size <- if (is.na(pool$seconds)) 1 else min(max(1, wanted / pool$seconds), ceiling(length(waiting) / workers))
    items <- waiting[seq_len(size)]
    began <- seconds_now()
    part <- list(items = items, future = future_part(pool, items), began = began)
    if (is.null(part$future)) return(lose_part(pool, part))
    if (is.na(pool$first)) {
      pool$first <- began
      pool$handed <- seconds_now() - began
    }
    pool$running <- c(pool$running, list(part))
    waiting <- waiting[-seq_len(size)]
  }
}

future_part <- function(pool, items) {
  tryCatch(
    future::future(tundrel_work(tundrel_part, tundrel_each),
      globals = c(list(tundrel_work = counted_work, tundrel_part = items, tundrel_each = pool$f), pool$needed$globals),
      packages = c("tundrel", pool$needed$packages), seed = NULL),
    error = function(e) NULL
  )
}

# With how many calls of functions of the user's it took in a process that does not share its count with this one, and how long.
counted_work <- function(part, f) {
  before <- user_calls$made
  began <- seconds_now()
  found <- lapply(part, f)
  list(found = found, calls = user_calls$made - before, seconds = seconds_now() - began)
}

# TRUE where some part came back, or was lost.
collect_parts <- function(pool) {
  done <- vapply(pool$running, function(part) tryCatch(future::resolved(part$future), error = function(e) TRUE), NA)
  parts <- pool$running[done]
  pool$running <- pool$running[!done]
  for (part in parts) {
    back <- tryCatch(future::value(part$future), FutureError = function(e) NULL)
    if (length(back) == 0) {
      lose_part(pool, part)
      next
    }
    pool$found[names(part$items)] <- list(NULL)
    pool$found[names(part$items)] <- back$found
    user_calls$made <- user_calls$made + back$calls
    pool$seconds <- back$seconds / length(part$items)
    pool$away <- min(pool$away, max(0, seconds_now() - part$began - back$seconds), na.rm = TRUE)
  }
  length(parts) > 0
}

# What a worker does not bring back, because it died or cannot be reached, is done again by another. A plan whose worker has died takes no more work
# until it is set anew, which ends what its others do: so these are waited for.
lose_part <- function(pool, part) {
  pool$broken <- pool$told <- TRUE
  before <- pool$lost[names(part$items)]
  pool$lost[names(part$items)] <- ifelse(is.na(before), 0L, before) + 1L
}
