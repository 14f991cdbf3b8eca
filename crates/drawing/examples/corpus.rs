use circuit::Supply;
fn main() {
    let out = std::env::args().nth(1).unwrap();
    let only = std::env::args().nth(2);
    let mut html = String::from("<body style='margin:4px;background:#fff;font:12px sans-serif;columns:4'>");
    let mut files: Vec<_> = std::fs::read_dir("crates/device/tests/circuits").unwrap().map(|f| f.unwrap().path()).collect();
    files.sort();
    for f in files {
        let name = f.file_stem().unwrap().to_str().unwrap().to_owned();
        if only.as_ref().is_some_and(|o| !o.split(',').any(|o| name == o)) || (only.is_none() && name == "long_ladder") { continue }
        let supply = Supply::from_json(&std::fs::read_to_string(&f).unwrap()).unwrap();
        let t = std::time::Instant::now();
        let d = mellow_drawing::draw(&supply);
        let (w, h) = (d.to.x - d.from.x, d.to.y - d.from.y);
        println!("{name} {} {:?} {w}x{h}", supply.parts.len(), t.elapsed());
        let svg = mellow_drawing::svg(&d);
        html += &format!("<div style='break-inside:avoid;border:1px solid #ccc'>{name}<br>{}</div>", svg.replacen("<svg ", "<svg style='width:100%;height:auto;max-height:300px' ", 1));
    }
    std::fs::write(out, html).unwrap();
}
