#' Glossary: our terms, and those of other fields
#'
#' What a word means here, what else it is called, and where to go. `??"standard curve"` and the search of the site find the same words.
#'
#' @section Posing:
#' * **model**: a formula from predictors and parameters to what was measured. Elsewhere: equation, fitting function, regression function, curve. [pose()], [models()]
#' * **response**: what was measured and is explained. Elsewhere: dependent variable, y, signal, readout, outcome. [pose()]
#' * **predictor**: a column that the model reads. Elsewhere: independent variable, x, covariate, dose, time. [pose()]
#' * **parameter**: a number that is found. Elsewhere: coefficient, constant, unknown; such as a half-life, an EC50, an IC50, a KD, a Km, a rate constant. [models()]
#' * **start**: where a search begins. Elsewhere: initial value, starting guess, first guess, initial estimate. [start_from()], [suggest_start()]
#' * **unit**: that of a parameter follows from the model and the units of columns. Elsewhere: dimension, dimensional analysis, unit conversion. [units_of()], [in_units()]
#' * **condition**: what parameters have to keep to. Elsewhere: constraint, bound, limit, restriction; fixed, held or tied parameters. [subject_to()]
#' * **levels**: a parameter with one value for each treatment or site. Elsewhere: factor, dummy variable, categorical variable. [pose()], [compare_levels()]
#' * **rates of change**: a model whose course follows from how fast things change. Elsewhere: ODE, differential equations, kinetics, compartment model. [dynamics()]
#' * **implicit**: a value that stands on both sides of its equation. Elsewhere: root, self-consistent. [pose()]
#' * **smeared**: a course as an instrument shows it. Elsewhere: convolution, instrument response function, IRF, deconvolution, reconvolution. [pose()]
#' @section Judging:
#' * **criterion**: what is made small. Elsewhere: objective, cost, loss or merit function, sum of squares, chi-square, negative log-likelihood. [judge_by()]
#' * **least squares**: the sum of squared misses, which is right for normal noise. Elsewhere: curve fitting, regression, RSS, SSE, chi-square fit. [least_squares()]
#' * **standard deviation of a reading**, from which weights follow. Elsewhere: error bar, measurement error, uncertainty, 1/sd^2 weighting. [least_squares()]
#' * **family**: how readings scatter about the curve. Elsewhere: error model, distribution, Poisson or binomial regression. [max_likelihood()]
#' * **detection limit**: a reading is only known to lie beyond it. Elsewhere: LOD, LOQ, censored, nondetect, below detection, Tobit. [censored()]
#' * **robust error**: misses that are large count less. Elsewhere: outlier, M-estimator, Huber, bisquare. [robust_error()]
#' * **errors in predictors**: x was measured, too. Elsewhere: errors in variables, orthogonal distance, total least squares. [least_squares()]
#' * **dependent readings**: neighbours err together. Elsewhere: autocorrelation, serial correlation, time series, repeated measures. [dependent()]
#' * **known before**: knowledge from elsewhere that counts like a reading. Elsewhere: prior, penalty, Bayesian. [subject_to()]
#' @section Fitting:
#' * **run**: one search with its trace and its reason for stopping. Elsewhere: fit, optimisation, minimisation. [fit_local()]
#' * **converged**: the end was verified afresh to be an optimum. Else the run says why it stopped: stalled, diverged, out of evaluations. [check_solution()]
#' * **optimum**: a point with none better nearby. Elsewhere: minimum, local minimum, maximum, solution. [compare_runs()]
#' * **global run**: a search of a whole box. Elsewhere: global optimisation, global minimum; several curves fitted with parameters in common are called global fits, too:
#'   see *shared*. [fit_global()], [fit_multistart()]
#' * **groups**: a curve each for thalli, wells, plates or pixels. Elsewhere: batch fitting, by-group analysis. [fit_each()]
#' * **shared**: one value for all groups. Elsewhere: global analysis, simultaneous fit, common or pooled parameter. [fit_each()]
#' * **varying**: each group has its own value, scattered about a common one. Elsewhere: mixed effects, random effects, hierarchical, multilevel, population model. [fit_each()]
#' @section Trusting:
#' * **dispersion**: how many times as far readings scatter as the noise says. Elsewhere: overdispersion, goodness of fit, reduced chi-square. [check_residuals()]
#' * **residual**: reading less curve. Elsewhere: error, deviation, misfit. [check_residuals()], [plot_residuals()]
#' * **standard error**: how far an estimate would scatter if all were measured again. Elsewhere: uncertainty, SE, plus-minus. [uncertainty()]
#' * **interval**: where a parameter may lie. Elsewhere: confidence interval, CI, confidence limits, error bars. [uncertainty()]
#' * **profile**: the interval from how much worse the fit gets as one parameter is held elsewhere. Elsewhere: profile likelihood, asymmetric errors, support plane. [uncertainty()]
#' * **bootstrap**: the interval from fits to readings drawn again. Elsewhere: resampling, Monte Carlo. [uncertainty()]
#' * **band**: where the curve, or a new reading, may lie. Elsewhere: confidence band, prediction interval, envelope. [predict()][run-generics]
#' * **derived quantity**: worked out from parameters, with its interval. Elsewhere: error propagation, delta method. [derive()]
#' * **data support**: which combinations of parameters the readings fix. Elsewhere: identifiability, overparameterised, overfitting, ill-conditioned, correlated parameters,
#'   singular matrix. [data_support()]
#' * **lack of fit**: the curve misses means of replicates by more than these scatter. Elsewhere: goodness of fit, model adequacy, R-squared. [check_residuals()], [glance()][run-generics]
#' * **weight of a model**: how far it is ahead of its rivals. Elsewhere: AIC, AICc, BIC, F test, model selection, model comparison. [compare_models()]
#' @section Using:
#' * **reading back**: the predictor at which the curve has a value. Elsewhere: calibration, standard curve, inverse prediction, interpolation, unknown samples. [predictor_at()]
#' * **next measurements**: where readings tell most. Elsewhere: optimal design, experimental design, sample size, power. [next_measurements()], [readings_needed()]
#' * **plan**: a file that says what is fitted to which table, and how. Elsewhere: script, protocol, template, batch file. [command_line()]
#' @concept initial value
#' @concept dimensional analysis
#' @concept unit conversion
#' @concept starting guess
#' @concept constraint
#' @concept overdispersion
#' @concept bounds
#' @concept EC50
#' @concept IC50
#' @concept Km
#' @concept dissociation constant
#' @concept half-life
#' @concept rate constant
#' @concept curve fitting
#' @concept regression
#' @concept chi-square
#' @concept R-squared
#' @concept goodness of fit
#' @concept confidence interval
#' @concept confidence band
#' @concept prediction interval
#' @concept error propagation
#' @concept error bars
#' @concept outlier
#' @concept detection limit
#' @concept censored
#' @concept differential equations
#' @concept ODE
#' @concept kinetics
#' @concept convolution
#' @concept standard curve
#' @concept calibration
#' @concept unknown samples
#' @concept mixed effects
#' @concept random effects
#' @concept global fit
#' @concept batch fitting
#' @concept autocorrelation
#' @concept repeated measures
#' @concept errors in variables
#' @concept identifiability
#' @concept overfitting
#' @concept model selection
#' @concept AIC
#' @concept F test
#' @concept local minimum
#' @concept experimental design
#' @concept sample size
#' @concept weights
#' @concept peak fitting
#' @concept deconvolution
#' @concept dose response
#' @concept growth curve
#' @concept spreadsheet
#' @name glossary
#' @return No value: a page of terms.
#' @examples
#' # what a field calls its own way is found by its own word
#' \donttest{
#' help.search("standard curve", package = "tundrel")
#' }
NULL
