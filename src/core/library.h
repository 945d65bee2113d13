// Headers of libraries that nearly every file of the core includes. The package's build reads them once and
// puts them before each file; each file includes what it needs all the same.
#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <memory>
#include <string>
#include <vector>
