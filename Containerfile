# Escala in a container: podman build -t escala . && podman run -p 127.0.0.1:8320:8320 -v escala:/data escala
# The token that visitors need is printed at the start.
# The pages need Node 20, which bookworm lacks; the wheel fits any Python.
FROM debian:trixie-slim AS build
RUN apt-get update -qq && apt-get install -y -qq --no-install-recommends make nodejs npm python3 python3-venv
WORKDIR /build
COPY . .
RUN cd frontend && npm ci --silent --no-audit --no-fund && npm run --silent build
RUN python3 -m venv /venv && /venv/bin/pip wheel --quiet --no-deps --wheel-dir /wheel .

FROM debian:bookworm-slim
RUN apt-get update -qq && apt-get install -y -qq --no-install-recommends libgomp1 python3 python3-venv \
  && rm -rf /var/lib/apt/lists/* && useradd --create-home escala && mkdir /data && chown escala /data
COPY --from=build /wheel /wheel
COPY constraints.txt /wheel/
RUN python3 -m venv /opt/escala \
  && /opt/escala/bin/pip install --quiet --constraint /wheel/constraints.txt \
  "$(ls /wheel/*.whl)[cluster,denoise,usd,video]" && rm -rf /wheel
USER escala
RUN /opt/escala/bin/escala warm
EXPOSE 8320
ENTRYPOINT ["/opt/escala/bin/escala", "demo", "--home", "/data", "--host", "0.0.0.0"]
