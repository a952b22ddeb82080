#' The purchase and spend models
#'
#' What each model assumes of customers, its formulas with their sources, and when not to use it.
#' None of them knows a season or a change of customers' habits by itself: what they expect of
#' December is what they expect of June, unless times are in business time, see [season_index()].
#' Times are counted from a customer's first purchase, which is not modelled; x is the number of
#' repeat purchases, t the time of the last one, T the time seen.
#'
#' @section Pareto/NBD (`"pareto-nbd"`): *Story.* While a customer stays, he buys at random times at
#'   a steady rate; one day he leaves for good, without saying so. Customers differ in both rates.
#'
#' *Assumptions.* Purchases are Poisson with rate lambda; the lifetime is exponential with rate mu;
#' lambda ~ Gamma(r, rate alpha) and mu ~ Gamma(s, rate beta), independent (Schmittlein, Morrison &
#' Colombo 1987, assumptions 1 to 5).
#'
#' *Formulas.* With N = r + x the density is
#' \deqn{\frac{\Gamma(N)}{\Gamma(r)}\alpha^r\beta^s\left[(\alpha+T)^{-N}(\beta+T)^{-s} + s\int_t^T
#' (\alpha+y)^{-N}(\beta+y)^{-(s+1)}\,dy\right]}{
#' Gamma(N) / Gamma(r) alpha^r beta^s [(alpha + T)^-N (beta + T)^-s + s integral_t^T (alpha + y)^-N
#' (beta + y)^-(s + 1) dy]} (the likelihood of Fader & Hardie 2005, A note, before it is written
#' with hypergeometric functions). The probability of still being a customer is the first term by
#' the whole (Schmittlein et al., equations 11 to 13). Expected purchases by h after T are that
#' probability times
#' \deqn{\frac{N}{\alpha+T}\int_0^h \left(1+\frac{u}{\beta+T}\right)^{-s}du}{
#' N / (alpha + T) integral_0^h (1 + u / (beta + T))^-s du} (Schmittlein et al., equation 22; for a
#' new customer equation 17); with exp(-delta u) under the integral they are discounted (Fader,
#' Hardie & Lee 2005a, equation 2). The integrals are computed by Gauss-Legendre quadrature in
#' log(1 + u / scale), with an error indicator for every customer.
#'
#' *Not* where purchases are at fixed intervals (subscriptions), where many customers leave right
#' after the first purchase (`"mbg-nbd"` says that more directly), or where purchases can only
#' happen at certain occasions (`"bg-bb"`).
#'
#' @section BG/NBD (`"bg-nbd"`): *Story.* As before, but a customer decides to leave right after a
#'   repeat purchase, with a probability of his own.
#'
#' *Assumptions.* Poisson purchases with rate lambda ~ Gamma(r, rate alpha); after every repeat
#' purchase the customer leaves with probability p ~ Beta(a, b), independent (Fader, Hardie & Lee
#' 2005b, assumptions i to v).
#'
#' *Formulas.* The density, in closed form (equation 6):
#' \deqn{\frac{\Gamma(r+x)}{\Gamma(r)}\alpha^r\left\{\frac{B(a,b+x)}{B(a,b)}(\alpha+T)^{-(r+x)} +
#' 1_{x>0}\frac{B(a+1,b+x-1)}{B(a,b)}(\alpha+t)^{-(r+x)}\right\}}{
#' Gamma(r + x) / Gamma(r) alpha^r {B(a, b + x) / B(a, b) (alpha + T)^-(r + x) + [x > 0] B(a + 1, b
#' + x - 1) / B(a, b) (alpha + t)^-(r + x)}} Counts: equation 8; expected purchases of a new
#' customer: equation 9; given a history: equation 10, here by the Beta mean of (1 - (1 + p h /
#' alpha)^-r) / p.
#'
#' *Not* where customers leave without having come back: who never returned is surely still there in
#' this model, so that the probability of being active is 1 for all of them.
#'
#' @section BG/NBD with leaving after the first purchase (`"mbg-nbd"`): As BG/NBD, with one more
#'   occasion to leave right after the first purchase (Batislam, Denizel & Filiztekin 2007; Hoppe &
#'   Wagner 2007). The model of choice where many customers buy just once. *Not* where the first
#'   purchase says nothing about leaving.
#'
#' @section BG/BB (`"bg-bb"`): *Story.* There are occasions to buy, one after the other (a weekly
#'   market, a yearly appeal); before each one a customer may leave for good, and one who is there
#'   buys or not.
#'
#' *Assumptions.* At each occasion a customer who is there buys with probability p ~ Beta(alpha,
#' beta); before each one he leaves with probability theta ~ Beta(gamma, delta), independent (Fader,
#' Hardie & Shang 2010, assumptions i to v).
#'
#' *Formulas.* With n occasions, x of them with a purchase, the last at t (equation 5):
#' \deqn{\frac{B(\alpha+x,\beta+n-x)}{B(\alpha,\beta)}\frac{B(\gamma,\delta+n)}{B(\gamma,\delta)} +
#' \sum_{m=t}^{n-1}\frac{B(\alpha+x,\beta+m-x)}{B(\alpha,\beta)}
#' \frac{B(\gamma+1,\delta+m)}{B(\gamma,\delta)}}{
#' B(alpha + x, beta + n - x) / B(alpha, beta) B(gamma, delta + n) / B(gamma, delta) + sum_{m =
#' t}^{n - 1} B(alpha + x, beta + m - x) / B(alpha, beta) B(gamma + 1, delta + m) / B(gamma, delta)}
#' Counts: equation 7; being there at the next occasion: equation 11; expected purchases: equation
#' 13. *Not* where customers buy several times between two occasions: a shorter unit, or a model in
#' continuous time.
#'
#' @section Gamma-gamma spend (`"gamma-gamma"`): *Story.* Every customer has a level of spending of
#'   his own, around which each purchase varies; levels have nothing to do with how often he buys.
#'
#' *Assumptions.* Amounts are Gamma(p, rate nu), nu ~ Gamma(q, rate gamma), independent of the
#' purchases (Colombo & Jiang 1999; Fader, Hardie & Lee 2005a, section "Adding monetary value").
#' *Formulas.* The density of the mean m of x amounts is
#' \deqn{\frac{\Gamma(px+q)}{\Gamma(px)\Gamma(q)}\gamma^q m^{px-1}x^{px}(\gamma+xm)^{-(px+q)}}{
#' Gamma(p x + q) / (Gamma(p x) Gamma(q)) gamma^q m^(p x - 1) x^(p x) (gamma + x m)^-(p x + q)} and
#' the expected next amount p (gamma + x m) / (p x + q - 1). *Not* where frequent buyers spend
#' clearly more or less each time: see [spend_frequency()].
#'
#' @section Log-normal spend (`"log-normal"`): *Story.* The same, in logs: amounts vary by factors.
#'   *Assumptions.* The log of an amount is normal around the customer's level with standard
#'   deviation sigma; levels are normal with mean mu and standard deviation tau (one-way random
#'   effects: Searle, Casella & McCulloch 1992, chapter 3). *Formulas.* With mean l of the logs of x
#'   amounts, the level given them is normal with mean (sigma^2 mu + x tau^2 l) / (sigma^2 + x
#'   tau^2) and variance v = sigma^2 tau^2 / (sigma^2 + x tau^2); the expected next amount is
#'   exp(mean + (v + sigma^2) / 2). It has heavier tails than gamma-gamma and knows how much each
#'   customer's amounts vary. *Not* where amounts are near zero or all alike.
#'
#' @section Covariates: An effect multiplies a customer's rate: alpha exp(-effect) and beta
#'   exp(-effect) where rates are mixed (Fader & Hardie 2007, section 2); where probabilities are,
#'   their odds, with a + b unchanged.
#'
#' @return Nothing: a page to read.
#' @references Batislam, Denizel & Filiztekin (2007), International Journal of Research in Marketing
#'   24. Colombo & Jiang (1999), Journal of Interactive Marketing 13. Dunn & Smyth (1996), Journal
#'   of Computational and Graphical Statistics 5. Fader & Hardie (2005), A note on deriving the
#'   Pareto/NBD model and related expressions. Fader & Hardie (2007), Incorporating time-invariant
#'   covariates into the Pareto/NBD and BG/NBD models. Fader, Hardie & Lee (2005a), Journal of
#'   Marketing Research 42. Fader, Hardie & Lee (2005b), Marketing Science 24. Fader, Hardie & Shang
#'   (2010), Marketing Science 29. Hoppe & Wagner (2007), Marketing: Journal of Research and
#'   Management 3. Schmittlein, Morrison & Colombo (1987), Management Science 33. Searle, Casella &
#'   McCulloch (1992), Variance Components.
#' @examples
#' # How sure may one be that a customer with two repeats, the last 30 weeks after the first, is
#' # still there after 39 weeks?
#' history <- data.frame(repeats = 2, last = 30.4, span = 38.9)
#' predict(purchase_model(
#'   "pareto-nbd", c(r = 0.55, alpha = 10.6, s = 0.61, beta = 11.7)
#' ), history, "active")
#' predict(purchase_model("bg-nbd", c(r = 0.24, alpha = 4.4, a = 0.79, b = 2.4)), history, "active")
#' @name nubrek-models
NULL
