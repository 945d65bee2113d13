# Published least-squares problems with answers known to eleven digits: observations, models, a far
# and a near start, parameters and the residual sum of squares, as their authors and the reference
# data collections of national metrology give them.

published <- list()

misra_x <- c(77.6, 114.9, 141.1, 190.8, 239.9, 289.0, 332.8, 378.4, 434.8, 477.3, 536.8, 593.1, 689.1, 760.0)
misra_y <- c(10.07, 14.73, 17.94, 23.93, 29.61, 35.18, 40.02, 44.82, 50.76, 55.05, 61.01, 66.40, 75.47, 81.78)
misra <- data.frame(x = misra_x, y = misra_y)

published$dental_a <- list(
  data = misra, model = y ~ b1 * (1 - exp(-b2 * x)),
  far = c(b1 = 500, b2 = 0.0001), near = c(b1 = 250, b2 = 0.0005),
  answer = c(2.3894212918E+02, 5.5015643181E-04), rss = 1.2455138894E-01,
  std_error = c(2.7070075241E+00, 7.2668688436E-06)
)
published$dental_b <- list(
  data = misra, model = y ~ b1 * (1 - (1 + b2 * x / 2)^(-2)),
  far = c(b1 = 500, b2 = 0.0001), near = c(b1 = 300, b2 = 0.0002),
  answer = c(3.3799746163E+02, 3.9039091287E-04), rss = 7.5464681533E-02
)
published$dental_c <- list(
  data = misra, model = y ~ b1 * (1 - (1 + 2 * b2 * x)^(-0.5)),
  far = c(b1 = 500, b2 = 0.0001), near = c(b1 = 600, b2 = 0.0002),
  answer = c(6.3642725809E+02, 2.0813627256E-04), rss = 4.0966836971E-02
)
published$dental_d <- list(
  data = misra, model = y ~ b1 * b2 * x * ((1 + b2 * x)^(-1)),
  far = c(b1 = 500, b2 = 0.0001), near = c(b1 = 450, b2 = 0.0003),
  answer = c(4.3736970754E+02, 3.0227324449E-04), rss = 5.6419295283E-02
)
published$filament <- list(
  data = data.frame(x = c(1.309, 1.471, 1.490, 1.565, 1.611, 1.680), y = c(2.138, 3.421, 3.597, 4.340, 4.882, 5.660)),
  model = y ~ b1 * x^b2,
  far = c(b1 = 1, b2 = 5), near = c(b1 = 0.7, b2 = 4),
  answer = c(7.6886226176E-01, 3.8604055871E+00), rss = 4.3173084083E-03
)
published$oxygen_demand <- list(
  data = data.frame(x = c(1, 2, 3, 5, 7, 10), y = c(109, 149, 149, 191, 213, 224)),
  model = y ~ b1 * (1 - exp(-b2 * x)),
  far = c(b1 = 1, b2 = 1), near = c(b1 = 100, b2 = 0.75),
  answer = c(2.1380940889E+02, 5.4723748542E-01), rss = 1.1680088766E+03
)
published$pasture <- list(
  data = data.frame(
    x = c(9, 14, 21, 28, 42, 57, 63, 70, 79),
    y = c(8.930, 10.800, 18.590, 22.330, 39.350, 56.110, 61.730, 64.620, 67.080)
  ),
  model = y ~ b1 / (1 + exp(b2 - b3 * x)),
  far = c(b1 = 100, b2 = 1, b3 = 0.1), near = c(b1 = 75, b2 = 2.5, b3 = 0.07),
  answer = c(7.2462237576E+01, 2.6180768402E+00, 6.7359200066E-02), rss = 8.0565229338E+00
)
published$onion <- list(
  data = data.frame(
    x = 1:15,
    y = c(16.08, 33.83, 65.80, 97.20, 191.55, 326.20, 386.87, 520.53, 590.03, 651.92, 724.93, 699.56, 689.96, 637.56, 717.41)
  ),
  model = y ~ b1 / ((1 + exp(b2 - b3 * x))^(1 / b4)),
  far = c(b1 = 100, b2 = 10, b3 = 1, b4 = 1), near = c(b1 = 700, b2 = 5, b3 = 0.75, b4 = 1.3),
  answer = c(6.9964151270E+02, 5.2771253025E+00, 7.5962938329E-01, 1.2792483859E+00), rss = 8.7864049080E+03
)
published$enzyme <- list(
  data = data.frame(
    x = c(4, 2, 1, 0.5, 0.25, 0.167, 0.125, 0.1, 0.0833, 0.0714, 0.0625),
    y = c(0.1957, 0.1947, 0.1735, 0.16, 0.0844, 0.0627, 0.0456, 0.0342, 0.0323, 0.0235, 0.0246)
  ),
  model = y ~ b1 * (x^2 + x * b2) / (x^2 + x * b3 + b4),
  far = c(b1 = 25, b2 = 39, b3 = 41.5, b4 = 39), near = c(b1 = 0.25, b2 = 0.39, b3 = 0.415, b4 = 0.39),
  answer = c(1.9280693458E-01, 1.9128232873E-01, 1.2305650693E-01, 1.3606233068E-01), rss = 3.0750560385E-04
)
# Badly scaled: parameters from 1e-3 to 1e4, nearly collinear.
published$thermistor <- list(
  data = data.frame(
    x = seq(50, 125, by = 5),
    y = c(34780, 28610, 23650, 19630, 16370, 13720, 11540, 9744, 8261, 7030, 6005, 5147, 4427, 3820, 3307, 2872)
  ),
  model = y ~ b1 * exp(b2 / (x + b3)),
  far = c(b1 = 2, b2 = 400000, b3 = 25000), near = c(b1 = 0.02, b2 = 4000, b3 = 250),
  answer = c(5.6096364710E-03, 6.1813463463E+03, 3.4522363462E+02), rss = 8.7945855171E+01
)
published$two_decays <- list(
  data = data.frame(
    x = seq(0, 320, by = 10),
    y = c(
      0.844, 0.908, 0.932, 0.936, 0.925, 0.908, 0.881, 0.850, 0.818, 0.784, 0.751, 0.718, 0.685, 0.658, 0.628, 0.603,
      0.580, 0.558, 0.538, 0.522, 0.506, 0.490, 0.478, 0.467, 0.457, 0.448, 0.438, 0.431, 0.424, 0.420, 0.414, 0.411, 0.406
    )
  ),
  model = y ~ b1 + b2 * exp(-x * b4) + b3 * exp(-x * b5),
  far = c(b1 = 50, b2 = 150, b4 = 1, b3 = -100, b5 = 2), near = c(b1 = 0.5, b2 = 1.5, b4 = 0.01, b3 = -1, b5 = 0.02),
  answer = c(3.7541005211E-01, 1.9358469127E+00, 1.2867534640E-02, -1.4646871366E+00, 2.2122699662E-02),
  rss = 5.4648946975E-05
)
published$mobility <- list(
  data = data.frame(
    x = c(
      -3.067, -2.981, -2.921, -2.912, -2.840, -2.797, -2.702, -2.699, -2.633, -2.481, -2.363, -2.322, -1.501, -1.460,
      -1.274, -1.212, -1.100, -1.046, -0.915, -0.714, -0.566, -0.545, -0.400, -0.309, -0.109, -0.103, 0.010, 0.119,
      0.377, 0.790, 0.963, 1.006, 1.115, 1.572, 1.841, 2.047, 2.200
    ),
    y = c(
      80.574, 84.248, 87.264, 87.195, 89.076, 89.608, 89.868, 90.101, 92.405, 95.854, 100.696, 101.060, 401.672, 390.724,
      567.534, 635.316, 733.054, 759.087, 894.206, 990.785, 1090.109, 1080.914, 1122.643, 1178.351, 1260.531, 1273.514,
      1288.339, 1327.543, 1353.863, 1414.509, 1425.208, 1421.384, 1442.962, 1464.350, 1468.705, 1447.894, 1457.628
    )
  ),
  model = y ~ (b1 + b2 * x + b3 * x^2 + b4 * x^3) / (1 + b5 * x + b6 * x^2 + b7 * x^3),
  far = c(b1 = 1000, b2 = 1000, b3 = 400, b4 = 40, b5 = 0.7, b6 = 0.3, b7 = 0.03),
  near = c(b1 = 1300, b2 = 1500, b3 = 500, b4 = 75, b5 = 1, b6 = 0.4, b7 = 0.05),
  answer = c(
    1.2881396800E+03, 1.4910792535E+03, 5.8323836877E+02, 7.5416644291E+01, 9.6629502864E-01, 3.9797285797E-01,
    4.9727297349E-02
  ),
  rss = 5.6427082397E+03
)
published$transmittance <- list(
  data = data.frame(
    x = c(seq(400, 435, by = 5), seq(436.5, 463.5, by = 1.5), seq(465, 500, by = 5)),
    y = c(
      0.0001575, 0.0001699, 0.0002350, 0.0003102, 0.0004917, 0.0008710, 0.0017418, 0.0046400, 0.0065895, 0.0097302,
      0.0149002, 0.0237310, 0.0401683, 0.0712559, 0.1264458, 0.2073413, 0.2902366, 0.3445623, 0.3698049, 0.3668534,
      0.3106727, 0.2078154, 0.1164354, 0.0616764, 0.0337200, 0.0194023, 0.0117831, 0.0074357, 0.0022732, 0.0008800,
      0.0004579, 0.0002345, 0.0001586, 0.0001143, 0.0000710
    )
  ),
  model = y ~ (b1 / b2) * exp(-0.5 * ((x - b3) / b2)^2),
  far = c(b1 = 1, b2 = 10, b3 = 500), near = c(b1 = 1.5, b2 = 5, b3 = 450),
  answer = c(1.5543827178E+00, 4.0888321754E+00, 4.5154121844E+02), rss = 1.4635887487E-03
)
# Three decays that can hardly be told apart.
published$three_decays <- list(
  data = data.frame(
    x = seq(0, 1.15, by = 0.05),
    y = c(
      2.5134, 2.0443, 1.6684, 1.3664, 1.1232, 0.9269, 0.7679, 0.6389, 0.5338, 0.4479, 0.3776, 0.3197, 0.2720, 0.2325,
      0.1997, 0.1723, 0.1493, 0.1301, 0.1138, 0.1000, 0.0883, 0.0783, 0.0698, 0.0624
    )
  ),
  model = y ~ b1 * exp(-b2 * x) + b3 * exp(-b4 * x) + b5 * exp(-b6 * x),
  far = c(b1 = 1.2, b2 = 0.3, b3 = 5.6, b4 = 5.5, b5 = 6.5, b6 = 7.6),
  near = c(b1 = 0.5, b2 = 0.7, b3 = 3.6, b4 = 4.2, b5 = 4, b6 = 6.3),
  answer = c(8.6816414977E-02, 9.5498101505E-01, 8.4400777463E-01, 2.9515951832E+00, 1.5825685901E+00, 4.9863565084E+00),
  rss = 1.6117193594E-08
)

# Digits that agree: the smallest over the parameters.
digits_of <- function(found, known) {
  error <- abs(unname(found) - known) / abs(known)
  -log10(max(error, 1e-16))
}

fit_published <- function(problem, start) {
  pose(problem$data, problem$model) |> start_from(start) |> fit_local()
}

# Problems given as residual functions, from the collection of More, Garbow and Hillstrom (1981), as
# measurements: one row a residual, picked out by columns that are 0 or 1.
picks <- function(n) stats::setNames(as.data.frame(diag(n)), paste0("is", seq_len(n)))
residual_problem <- function(y, model, start, answer, value) {
  list(data = cbind(y = y, picks(length(y))), model = model, start = start, answer = answer, value = value)
}
residual_problems <- list(
  curved_valley = residual_problem(
    c(0, 1), y ~ is1 * 10 * (x2 - x1^2) + is2 * x1, c(x2 = 1, x1 = -1.2), c(1, 1), 0
  ),
  badly_scaled = residual_problem(
    c(1e6, 2e-6, 2), y ~ is1 * x1 + is2 * x2 + is3 * x1 * x2, c(x1 = 1, x2 = 1), c(1e6, 2e-6), 0
  ),
  three_products = residual_problem(
    c(1.5, 2.25, 2.625), y ~ is1 * x1 * (1 - x2) + is2 * x1 * (1 - x2^2) + is3 * x1 * (1 - x2^3),
    c(x1 = 1, x2 = 1), c(3, 0.5), 0
  ),
  helix = residual_problem(
    c(0, 10, 0),
    y ~ is1 * 10 * (x3 - 10 * (atan(x2 / x1) / (2 * pi) + ifelse(x1 < 0, 0.5, 0))) + is2 * 10 * sqrt(x1^2 + x2^2) + is3 * x3,
    c(x3 = 0, x2 = 0, x1 = -1), c(0, 0, 1), 0
  ),
  # Its Jacobian is singular at the answer.
  singular = residual_problem(
    c(0, 0, 0, 0),
    y ~ is1 * (x1 + 10 * x2) + is2 * sqrt(5) * (x3 - x4) + is3 * (x2 - 2 * x3)^2 + is4 * sqrt(10) * (x1 - x4)^2,
    c(x1 = 3, x2 = -1, x3 = 0, x4 = 1), c(0, 0, 0, 0), 0
  )
)
