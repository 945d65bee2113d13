# The page in a real browser: served by an R process of its own, looked at by Chromium.

has_browser <- function() {
  nzchar(Sys.which("chromium")) && all(vapply(c("shiny", "bslib", "callr", "chromote", "base64enc"), requireNamespace, NA, quietly = TRUE))
}

browser <- new.env()

the_browser <- function() {
  if (is.null(browser$main)) {
    browser$main <- chromote::Chromote$new(chromote::Chrome$new(path = Sys.which("chromium"), args = c(
      "--headless", "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--disable-quic",
      "--no-first-run", "--disable-dev-shm-usage"
    )))
    reg.finalizer(browser, function(e) try(e$main$get_browser()$close(), silent = TRUE), onexit = TRUE)
  }
  browser$main
}

# Serves the page in a process; its address is read from what it says. `home` is where sessions are kept.
serve_workbench <- function(x = NULL, home = tempfile("home-")) {
  dir.create(home, showWarnings = FALSE)
  log <- tempfile("page-", fileext = ".log")
  process <- callr::r_bg(
    function(x) getExportedValue("tundrel", "workbench")(x, open = FALSE), list(x = x), stdout = log, stderr = "2>&1",
    libpath = .libPaths(), env = c(Sys.getenv(), R_USER_DATA_DIR = home, callr::rcmd_safe_env())
  )
  address <- NULL
  for (k in 1:200) {
    Sys.sleep(0.1)
    said <- if (file.exists(log)) paste(readLines(log, warn = FALSE), collapse = "\n") else ""
    found <- regmatches(said, regexpr("http://127[0-9.:]+/\\?token=[0-9a-f]+", said))
    if (length(found) && listens(found)) {
      address <- found
      break
    }
    if (!process$is_alive()) stop("The page did not start: ", said)
  }
  list(process = process, address = address, home = home, log = log)
}

listens <- function(address) {
  port <- as.integer(sub("^http://127.0.0.1:([0-9]+)/.*$", "\\1", address))
  tryCatch({
    close(suppressWarnings(socketConnection("127.0.0.1", port, timeout = 1)))
    TRUE
  }, error = function(e) FALSE)
}

open_page <- function(address, width = 1280, height = 800, scale = 1, ready = "window.tundrelReady === true") {
  tab <- the_browser()$new_session(width = width, height = height)
  tab$Emulation$setDeviceMetricsOverride(width = width, height = height, deviceScaleFactor = scale, mobile = FALSE)
  tab$Page$navigate(address)
  wait_for(tab, ready)
  tab
}

js <- function(tab, code) {
  answer <- tab$Runtime$evaluate(code, returnByValue = TRUE, awaitPromise = TRUE, timeout_ = 60)
  if (!is.null(answer$exceptionDetails)) stop(answer$exceptionDetails$exception$description)
  answer$result$value
}

# Waits until a condition of the page holds; stops the test where it never does.
wait_for <- function(tab, condition, seconds = 60) {
  until <- Sys.time() + seconds
  repeat {
    if (isTRUE(tryCatch(js(tab, paste0("Boolean(", condition, ")")), error = function(e) FALSE))) return(invisible(TRUE))
    if (Sys.time() > until) stop("The page never came to: ", condition, "\n", js(tab, "Array.from(document.querySelectorAll('.refused')).map(n => n.textContent).join(' | ')"))
    Sys.sleep(0.03)
  }
}

text_of <- function(tab, id) js(tab, sprintf("document.getElementById(%s).textContent", js_text(id)))
value_of <- function(tab, id) js(tab, sprintf("document.getElementById(%s).value", js_text(id)))
js_text <- function(x) as.character(jsonlite::toJSON(x, auto_unbox = TRUE))

press <- function(tab, id) {
  wait_for(tab, sprintf("document.getElementById(%s) && !document.getElementById(%s).disabled", js_text(id), js_text(id)))
  js(tab, sprintf("document.getElementById(%s).click()", js_text(id)))
}

# Types into a field as a person does: it is emptied, and each text arrives as input.
type_into <- function(tab, id, text) {
  wait_for(tab, sprintf("document.getElementById(%s)", js_text(id)))
  js(tab, sprintf("(() => { const n = document.getElementById(%s); n.focus(); n.value = ''; })()", js_text(id)))
  if (nzchar(text)) tab$Input$insertText(text = text)
  js(tab, sprintf("document.getElementById(%s).dispatchEvent(new Event('change', {bubbles: true}))", js_text(id)))
}

choose_in <- function(tab, id, value) {
  wait_for(tab, sprintf("document.getElementById(%s)", js_text(id)))
  js(tab, sprintf("(() => { const n = document.getElementById(%s); n.value = %s; n.dispatchEvent(new Event('change', {bubbles: true})); })()", js_text(id), js_text(value)))
}

key <- function(tab, name, code = name, modifiers = 0, text = NULL) {
  arguments <- list(type = "keyDown", key = name, code = code, modifiers = modifiers, windowsVirtualKeyCode = key_codes[[name]] %||% utf8ToInt(toupper(name))[1])
  if (!is.null(text)) arguments$text <- text
  do.call(tab$Input$dispatchKeyEvent, arguments)
  tab$Input$dispatchKeyEvent(type = "keyUp", key = name, code = code, modifiers = modifiers)
}

key_codes <- c(Enter = 13, Tab = 9, ArrowLeft = 37, ArrowUp = 38, ArrowRight = 39, ArrowDown = 40, Escape = 27, " " = 32)
`%||%` <- function(x, y) if (is.null(x)) y else x

# A file that the page hands over, taken through its own link.
taken_over <- function(tab, id) {
  address <- js(tab, sprintf("document.getElementById(%s).href", js_text(id)))
  js(tab, sprintf("fetch(%s).then(r => { if (!r.ok) throw new Error(r.status); return r.text(); })", js_text(address)))
}

# What takes longer is written first, by its button; the page follows the link by itself.
written_and_taken <- function(tab, id) {
  js(tab, sprintf("window.followed = null; document.getElementById(%s).addEventListener('click', e => { e.preventDefault(); window.followed = e.target.id; }, {once: true})", js_text(id)))
  press(tab, paste0("write-", id))
  wait_for(tab, sprintf("window.followed === %s", js_text(id)), 60)
  taken_over(tab, id)
}

picture_of_page <- function(tab, path) {
  shot <- tab$Page$captureScreenshot(format = "png")
  writeBin(base64enc::base64decode(shot$data), path)
}

# By the keyboard alone: Tab until a field has the focus.
tab_to <- function(tab, id, most = 150) {
  for (k in seq_len(most)) {
    if (identical(js(tab, "document.activeElement.id"), id)) return(invisible(k))
    key(tab, "Tab")
  }
  stop("Tab never came to ", id)
}

# Pulls a slider as a hand does: it moves, and then it is let go.
pull_to <- function(tab, id, share, let_go = TRUE) {
  js(tab, sprintf("(() => { const n = document.getElementById(%s); n.value = %s * n.max; n.dispatchEvent(new Event('input', {bubbles: true})); %s })()", js_text(id), share, if (let_go) "n.dispatchEvent(new Event('change', {bubbles: true}));" else ""))
}

# Waits until what is drawn no longer changes.
wait_until_still <- function(tab, code) {
  before <- NULL
  for (k in 1:60) {
    now <- tryCatch(js(tab, code), error = function(e) NULL)
    if (!is.null(now) && identical(now, before)) return(invisible())
    before <- now
    Sys.sleep(0.3)
  }
}

n_runs <- function(tab) js(tab, "document.querySelectorAll('#runs tbody tr').length")

wait_for_run <- function(tab, label, seconds = 120) {
  wait_for(tab, sprintf("document.querySelector('#answer h3') && document.querySelector('#answer h3').textContent === 'Run %s' && document.getElementById('stop').disabled", label), seconds)
}

# Where a reading is on the screen.
place_of_row <- function(tab, row) {
  unlist(js(tab, sprintf("(() => { const c = window.tundrelPlace(%d); return c; })()", row)))
}

click_at <- function(tab, place) {
  for (type in c("mousePressed", "mouseReleased")) tab$Input$dispatchMouseEvent(type = type, x = place[1], y = place[2], button = "left", clickCount = 1)
}
