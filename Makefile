# make demo    installs what is missing, climbs a slow function, runs the demo study, leaves demo-output/
# make test    installs what is missing, runs every test
.PHONY: setup setup-test demo test lint style docs data check measure fuzz screenshots clean

setup:
	@sh tools/setup.sh run

setup-test:
	@sh tools/setup.sh test

demo: setup
	@command="$$(Rscript -e 'cat(system.file("exec", "deepstride", package = "deepstride"))')"; \
	"$$command" climb inst/studies/routing.R --function route_grown --inputs rain_record --cell-limit 30 --out demo-output/climb && \
	"$$command" demo --out demo-output

test: setup-test
	@Rscript tools/test.R

lint:
	@Rscript tools/lint.R

# Formats what has changed since the last commit.
style:
	@Rscript tools/style.R

# Regenerates NAMESPACE, man/ and the glue between R and C++.
docs:
	@Rscript -e 'Rcpp::compileAttributes(".")'
	@sh tools/install.sh
	@Rscript -e 'roxygen2::roxygenise(load_code = "installed")'
	@sh tools/install.sh

data:
	@Rscript data-raw/hollowmere.R

check: setup-test
	@rm -rf check && mkdir check
	@cd check && R CMD build .. >/dev/null && R CMD check --no-manual deepstride_*.tar.gz

measure: setup
	@Rscript tools/measured.R $(filter-out fuzz findings, $(basename $(notdir $(wildcard measure/*.R))))

# Random programs in R and compiled: one to two hours.
fuzz: setup
	@Rscript measure/fuzz.R

screenshots:
	@sh tools/setup.sh pictures
	@sh tools/screenshots.sh

clean:
	@rm -rf check demo-output src/*.o src/*.so
