# One look for all figures. The colours are told apart by colour-blind readers (Okabe and Ito, 2008);
# line type or shape always says the same as colour.
colours <- c(data = "#333333", fit = "#0072B2", band = "#56B4E9", start = "#D55E00", zero = "#8A8A8A", flag = "#CC3311",
         term2 = "#009E73", term3 = "#CC79A7", term4 = "#E69F00", none = "#BDBDBD")

theme_tundrel <- function() {
  ggplot2::theme_minimal(base_size = 13) +
    ggplot2::theme(
      plot.title = ggplot2::element_text(size = 14, face = "bold"),
      plot.title.position = "plot",
      plot.subtitle = ggplot2::element_text(colour = "#555555"),
      plot.caption = ggplot2::element_text(colour = "#555555", hjust = 0),
      # else a saved figure is see-through, and black on black in a viewer that shows it so
      plot.background = ggplot2::element_rect(fill = "white", colour = NA),
      panel.grid.minor = ggplot2::element_blank(),
      panel.border = ggplot2::element_rect(fill = NA, colour = "#BBBBBB"),
      axis.ticks = ggplot2::element_line(colour = "#BBBBBB"),
      legend.position = "bottom"
    )
}

# The theme, and what the figure shows in words, for those who cannot see it: from all that was said of it before this is added.
figure_look <- function() list(theme_tundrel(), in_words())
in_words <- function() structure(list(), class = "tundrel_in_words")

#' @rawNamespace S3method(ggplot2::ggplot_add, tundrel_in_words)
ggplot_add.tundrel_in_words <- function(object, plot, object_name) {
  said <- if (inherits(plot, "patchwork")) plot$patches$annotation else plot$labels
  axis <- function(where, label) if (is.character(label) && nzchar(label)) paste0(where, ": ", label)
  axes <- if (!inherits(plot, "patchwork")) c(axis("Along", said$x), axis("Upwards", said$y))
  said <- unlist(c(Filter(is.character, said[c("title", "subtitle")]), axes, Filter(is.character, said["caption"])))
  plot$labels$alt <- paste0(sub("[.]?$", ".", gsub("\\s+", " ", said[nzchar(said)])), collapse = " ")
  plot
}

# Panels of parameters, headed by their names and units.
parameter_labeller <- function(x, parameters) ggplot2::as_labeller(rlang::set_names(unit_labels(parameters, units_of(x)), parameters))

response_label <- function(problem) {
  if (has_responses(problem)) return("reading")
  response <- problem$model$response
  family <- noise_family(problem$criterion)
  if (isTRUE(family$counted)) return(paste("share of", expression_text(problem$criterion$others[[family$others]])))
  if (is.symbol(response)) unit_labels(as.character(response), problem$units) else expression_text(response)
}

# The model under a title, on as many lines as it needs.
model_subtitle <- function(problem) paste(unlist(lapply(model_texts(problem), strwrap, 105, exdent = 4)), collapse = "\n")
