#' The Hollowmere record: hourly rain, level and temperature at twelve gauges
#'
#' Two years of hours (2 x 365 days) from the Hollowmere catchment, an invented
#' upland river basin. Synthetic data, made from a seed by
#' `data-raw/hollowmere.R`: rain in weather systems that cross the catchment
#' from the west, level from rain through a quick and a slow leaky reservoir,
#' temperature with a season, a day and a slow wander. There are no missing values.
#'
#' @format `hollowmere_record`: a data frame of 210,240 rows, one per gauge and hour.
#' \describe{
#'   \item{gauge}{number of the gauge, 1 to 12}
#'   \item{hour}{hour since the record's start, 1 to 17,520}
#'   \item{rain_mm}{rain in the hour, millimetres, in tips of 0.2}
#'   \item{level_cm}{water level, whole centimetres}
#'   \item{temperature_c}{air temperature, degrees Celsius, to the half degree}
#' }
#' `hollowmere_gauges`: a data frame of 12 rows.
#' \describe{
#'   \item{gauge}{number of the gauge}
#'   \item{place}{its name}
#'   \item{east_km, north_km}{position within the catchment, kilometres}
#'   \item{height_m}{height, metres}
#' }
#' @source Made up by `data-raw/hollowmere.R`.
#' @examples
#' head(hollowmere_record)
#' hollowmere_gauges
#' @name hollowmere
#' @aliases hollowmere_record hollowmere_gauges
#' @docType data
NULL
