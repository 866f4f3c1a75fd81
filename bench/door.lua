-- Asks what stands in a file, a body a line, one after another; tells what came of it as one line of JSON.
local bodies, next_body, token, path = {}, 0, nil, nil

function init(args)
  path, token = args[1], args[2]
  for line in io.lines(args[3]) do bodies[#bodies + 1] = line end
  wrk.method = "POST"
  wrk.headers["Content-Type"] = "application/json"
  wrk.headers["Authorization"] = "Bearer " .. token
end

function request()
  next_body = next_body % #bodies + 1
  return wrk.format(nil, path, nil, bodies[next_body])
end

function done(summary, latency, requests)
  local wrong = summary.errors.status + summary.errors.connect + summary.errors.read + summary.errors.timeout
  io.write(string.format(
    '\n{"requests": %d, "seconds": %f, "p50": %f, "p99": %f, "p999": %f, "wrong": %d}\n',
    summary.requests, summary.duration / 1e6, latency:percentile(50) / 1e3, latency:percentile(99) / 1e3,
    latency:percentile(99.9) / 1e3, wrong))
end
