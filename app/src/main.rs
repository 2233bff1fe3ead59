fn main(){
 let a:Vec<String>=std::env::args().collect();
 let an=jam_voice::Analyser::shipped().unwrap();
 for l in std::fs::read_to_string(&a[1]).unwrap().lines(){ let (f,t)=l.split_once('\t').unwrap();
  let r=jam_formats::sound::read(&std::fs::read(f).unwrap()).unwrap();
  match an.analyse(&r,t,&|_|true){ Ok(x)=>println!("{}\t{}",f,serde_json::to_string(&x.timing).unwrap()), Err(e)=>println!("{}\tERR {}",f,e)}
 }}
